// A stretch may cross the line: then its beginning lies behind its end.

export interface Ends {
  from: number;
  to: number;
}

/** A stretch as one or two pieces inside [0, length]. */
export function pieces(part: Ends, length: number): [number, number][] {
  if (part.from < part.to) return [[part.from, part.to]];
  return [
    [0, part.to],
    [part.from, length],
  ];
}

/** Whether a place lies in a stretch. */
export function within(part: Ends | null, place: number): boolean {
  if (!part) return false;
  return part.from < part.to
    ? place >= part.from && place <= part.to
    : place >= part.from || place <= part.to;
}
