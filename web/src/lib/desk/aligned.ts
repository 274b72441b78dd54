// A channel of several laps around a place of each: brake applications from their brake points, throttles from the
// lowest speed.
import { valueAt, type Curve } from '$lib/desk/curves';

export interface Around {
  key: string;
  /** metres from the lap's place, and the channel's value there as a share of the highest of all laps */
  points: [number, number][];
}

interface Asked {
  key: string;
  values: Curve | undefined;
  /** metres from the start line; null where it does not happen */
  place: number | null;
}

/** Every lap from `before` metres ahead of its place to `after` metres behind it, in steps of `step` metres. */
export function around(
  s: Float64Array,
  asked: Asked[],
  before: number,
  after: number,
  step: number,
  closed = true,
): Around[] {
  const length = s[s.length - 1] ?? 0;
  const found: Around[] = [];
  let high = 0;
  for (const { key, values, place } of asked) {
    if (!values || place === null) continue;
    const points: [number, number][] = [];
    for (let at = -before; at <= after; at += step) {
      const here = place + at;
      if (!closed && (here < 0 || here > length)) continue;
      const value = valueAt(s, values, ((here % length) + length) % length);
      if (!Number.isFinite(value)) continue;
      high = Math.max(high, value);
      points.push([at, value]);
    }
    if (points.length > 1) found.push({ key, points });
  }
  return found.map((lap) => ({
    ...lap,
    points: lap.points.map(([at, value]): [number, number] => [at, high > 0 ? Math.max(value, 0) / high : 0]),
  }));
}
