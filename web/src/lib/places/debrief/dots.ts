// Where values lie from left to right in a small picture, behind the names of its rows.
const LEFT = 46;
const EDGE = 8;

/** A scale over values (those that are not known are left out) in a picture of some width. */
export function spread(values: readonly (number | null)[], width: number): (value: number) => number {
  const known = values.filter((value): value is number => value !== null);
  const low = Math.min(...known);
  const high = Math.max(...known);
  const size = high - low;
  // Where all are one they lie in the middle.
  if (!(size > 0)) return () => (LEFT + width - EDGE) / 2;
  return (value) => LEFT + EDGE + ((value - low) / size) * (width - LEFT - 2 * EDGE);
}
