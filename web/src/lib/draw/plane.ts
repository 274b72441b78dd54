// Two channels over one another: where values lie on the screen.
import type { Curve } from '$lib/desk/curves';

export interface Cloud {
  key: string;
  xs: Curve;
  ys: Curve;
  colour: string;
  /** of a dot in pixels */
  size: number;
  dim: boolean;
  /** 0 beneath all others (the reference), 2 above them (the chosen lap) */
  rank: number;
}

export interface Outline {
  key: string;
  points: [number, number][];
  colour: string;
  weight: number;
}

export interface Plane {
  rangeX: [number, number];
  rangeY: [number, number];
  x: (value: number) => number;
  y: (value: number) => number;
}

const ROOM = 0.04;

/** Lowest and highest of what is shown, with a little room; values that are all alike get some, too. */
function widened(low: number, high: number): [number, number] {
  if (!Number.isFinite(low) || !Number.isFinite(high)) return [0, 1];
  const room = (high - low || Math.abs(high) || 1) * ROOM;
  return [low - room, high + room];
}

/**
 * @param inside whether a place belongs to what is shown
 * @param size of the drawing in pixels; `round`: one scale for both channels, 0 in the middle, and positive on
 * the left: across the path left is positive, and left shall be left
 */
export function planeOf(
  s: Float64Array,
  clouds: Cloud[],
  outlines: Outline[],
  inside: (place: number) => boolean,
  size: { width: number; height: number; round: boolean },
): Plane {
  let [lowX, highX, lowY, highY] = [Infinity, -Infinity, Infinity, -Infinity];
  const take = (x: number, y: number): void => {
    if (!Number.isFinite(x) || !Number.isFinite(y)) return;
    lowX = Math.min(lowX, x);
    highX = Math.max(highX, x);
    lowY = Math.min(lowY, y);
    highY = Math.max(highY, y);
  };
  for (const { xs, ys } of clouds)
    for (let i = 0; i < s.length; i++) if (inside(s[i] as number)) take(xs[i] as number, ys[i] as number);
  for (const { points } of outlines) for (const [x, y] of points) take(x, y);
  let [rangeX, rangeY] = [widened(lowX, highX), widened(lowY, highY)];
  if (size.round) {
    const most = Math.max(...rangeX.map(Math.abs), ...rangeY.map(Math.abs));
    const share = size.width / size.height;
    rangeX = [-most * Math.max(share, 1), most * Math.max(share, 1)];
    rangeY = [-most * Math.max(1 / share, 1), most * Math.max(1 / share, 1)];
  }
  return {
    rangeX,
    rangeY,
    x: (value) => {
      const share = (value - rangeX[0]) / (rangeX[1] - rangeX[0]);
      return (size.round ? 1 - share : share) * size.width;
    },
    y: (value) => (1 - (value - rangeY[0]) / (rangeY[1] - rangeY[0])) * size.height,
  };
}
