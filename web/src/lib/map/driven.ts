// Lines on the ground: the road, and where laps were driven.
import { decode, valueAt, type Curve } from '$lib/desk/curves';
import type { Point } from '$lib/map/view';

export interface Line {
  x: Curve;
  y: Curve;
}

export interface Driven {
  s: Float64Array;
  centre: Line;
  limits: Line[];
  /** the line of a lap by the name of its curves; undefined where nobody knows it */
  of(lap: string): Line | undefined;
}

export function decodeDriven(bytes: Uint8Array): Driven {
  const { columns, s } = decode(bytes);
  const of = (name: string): Line | undefined => {
    const [x, y] = [columns.get(`${name}|x`), columns.get(`${name}|y`)];
    return x && y ? { x, y } : undefined;
  };
  const centre = of('centre');
  if (!centre) throw new Error('The lines came without the road.');
  return { s, centre, limits: ['left', 'right'].flatMap((side) => of(side) ?? []), of };
}

/** Where a line is at a place along the circuit. */
export const pointAt = (s: Float64Array, line: Line, place: number): Point => [
  valueAt(s, line.x, place),
  valueAt(s, line.y, place),
];

/** The way a line runs at a place, metres east and north over some metres. */
export function directionAt(s: Float64Array, line: Line, place: number, over = 20): Point {
  const length = s[s.length - 1] ?? 0;
  const [a, b] = [
    pointAt(s, line, Math.max(0, place - over)),
    pointAt(s, line, Math.min(length, place + over)),
  ];
  return [b[0] - a[0], b[1] - a[1]];
}

/** The place of a line that is nearest to a point, and how far away that is. */
export function nearestPlace(s: Float64Array, line: Line, [x, y]: Point): { place: number; away: number } {
  let best = Infinity;
  let index = 0;
  for (let i = 0; i < s.length; i++) {
    const away = ((line.x[i] as number) - x) ** 2 + ((line.y[i] as number) - y) ** 2;
    if (away < best) {
      best = away;
      index = i;
    }
  }
  return { place: s[index] ?? 0, away: Math.sqrt(best) };
}
