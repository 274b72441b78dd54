// What a channel does in a stretch: lowest, highest, mean, and its value at both ends.
import { valueAt, type Curve } from '$lib/desk/curves';
import { pieces } from '$lib/desk/stretch';

export interface Extremes {
  lowest: number;
  highest: number;
  /** over the time that is spent there, as a logger's mean is */
  mean: number;
  first: number;
  last: number;
}

/**
 * @param s the 1 m grid
 * @param values of a lap on it
 * @param time the lap's seconds from the line on it
 * @param part ends in metres; `to` before `from` runs on across the line
 * @returns null where nothing is known there
 */
export function extremesOf(
  s: Float64Array,
  values: Curve,
  time: Curve | undefined,
  part: { from: number; to: number },
): Extremes | null {
  const length = s[s.length - 1] ?? 0;
  const found: Extremes = { lowest: Infinity, highest: -Infinity, mean: NaN, first: NaN, last: NaN };
  let [sum, weight] = [0, 0];
  const take = (value: number, seconds: number): void => {
    if (!Number.isFinite(value)) return;
    found.lowest = Math.min(found.lowest, value);
    found.highest = Math.max(found.highest, value);
    if (!(seconds > 0)) return;
    sum += value * seconds;
    weight += seconds;
  };
  for (const [from, to] of pieces(part, length)) {
    const inner: number[] = [];
    for (let i = Math.floor(from) + 1; i < s.length && (s[i] ?? 0) < to; i++) inner.push(s[i] ?? 0);
    const places = [from, ...inner, to];
    const [known, clock] = [values, time ?? s].map((curve) =>
      places.map((place) => valueAt(s, curve, place)),
    );
    for (let i = 0; i < places.length; i++) {
      const before = (clock?.[i] ?? 0) - (clock?.[i - 1] ?? clock?.[i] ?? 0);
      const after = (clock?.[i + 1] ?? clock?.[i] ?? 0) - (clock?.[i] ?? 0);
      take(known?.[i] ?? NaN, (before + after) / 2);
    }
  }
  if (found.lowest > found.highest) return null;
  found.mean = weight > 0 ? sum / weight : found.lowest;
  found.first = valueAt(s, values, part.from);
  found.last = valueAt(s, values, part.to);
  return found;
}
