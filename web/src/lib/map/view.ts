// What of the ground is on show: turned, moved and scaled. Metres east and north of the start line, pixels on the screen.
export type Point = [number, number];

export interface View {
  /** the point of the ground in the middle */
  readonly at: Point;
  /** pixels for each metre */
  readonly scale: number;
  /** by how much the ground is turned, radians counter-clockwise */
  readonly turn: number;
}

export const MOST_SCALE = 60;

/** A view in which points fill a picture. */
export function fitting(points: Point[], width: number, height: number, turn: number, pad: number): View {
  const [cos, sin] = [Math.cos(turn), Math.sin(turn)];
  let [west, east, south, north] = [Infinity, -Infinity, Infinity, -Infinity];
  for (const [x, y] of points) {
    const [u, v] = [x * cos - y * sin, x * sin + y * cos];
    west = Math.min(west, u);
    east = Math.max(east, u);
    south = Math.min(south, v);
    north = Math.max(north, v);
  }
  if (!(east >= west)) return { at: [0, 0], scale: 1, turn };
  const scale = Math.min(
    (width - 2 * pad) / Math.max(east - west, 1),
    (height - 2 * pad) / Math.max(north - south, 1),
    MOST_SCALE,
  );
  const [u, v] = [(west + east) / 2, (south + north) / 2];
  return { at: [u * cos + v * sin, -u * sin + v * cos], scale: Math.max(scale, 1e-6), turn };
}

/** Where a point of the ground lies on the screen. */
export function onScreen(view: View, width: number, height: number, [x, y]: Point): Point {
  const [cos, sin] = [Math.cos(view.turn), Math.sin(view.turn)];
  const [dx, dy] = [x - view.at[0], y - view.at[1]];
  return [width / 2 + (dx * cos - dy * sin) * view.scale, height / 2 - (dx * sin + dy * cos) * view.scale];
}

/** The point of the ground under one of the screen. */
export function onGround(view: View, width: number, height: number, [px, py]: Point): Point {
  const [cos, sin] = [Math.cos(view.turn), Math.sin(view.turn)];
  const [u, v] = [(px - width / 2) / view.scale, (height / 2 - py) / view.scale];
  return [view.at[0] + u * cos + v * sin, view.at[1] - u * sin + v * cos];
}

/** Nearer or further away; what lies under a point of the screen stays there. */
export function nearer(
  view: View,
  width: number,
  height: number,
  at: Point,
  factor: number,
  least: number,
): View {
  const scale = Math.min(Math.max(view.scale * factor, least), MOST_SCALE);
  const held = onGround(view, width, height, at);
  const moved = { ...view, scale };
  const now = onGround(moved, width, height, at);
  return { ...moved, at: [view.at[0] + held[0] - now[0], view.at[1] + held[1] - now[1]] };
}

/** Moved by pixels. */
export function shifted(view: View, dx: number, dy: number): View {
  const [cos, sin] = [Math.cos(view.turn), Math.sin(view.turn)];
  const [u, v] = [-dx / view.scale, dy / view.scale];
  return { ...view, at: [view.at[0] + u * cos + v * sin, view.at[1] - u * sin + v * cos] };
}

/** By how much the ground is turned so that a direction points up, radians. */
export const upwards = (dx: number, dy: number): number => Math.PI / 2 - Math.atan2(dy, dx);

/** A round length that is some hundred pixels long, for the scale. */
export function roundLength(scale: number, factor: number, most = 110): number {
  const longest = (most / scale) * factor;
  const power = 10 ** Math.floor(Math.log10(longest));
  return ([5, 2, 1].find((step) => step * power <= longest) ?? 1) * power;
}
