/** A corner as bars and maps write it: T4 is 4 there, a name stays a name. */
export const shortName = (name: string): string => name.replace(/^T(?=\d+$)/, '');
