// Signs for what a lap does where: a bar across for the brake, a kink for turning in, a dot where it is slowest, an
// arrowhead for the throttle. They differ by shape, colour only tells whose they are.
import type { Point } from '$lib/map/view';

export const KINDS = ['brake_m', 'turn_in_m', 'slowest_m', 'throttle_m'] as const;
export type Kind = (typeof KINDS)[number];

/** `normal` points to the left of the driving direction, on the screen. */
export function drawPoint(
  ctx: CanvasRenderingContext2D,
  kind: Kind,
  [x, y]: Point,
  [nx, ny]: Point,
  colour: string,
  paper: string,
): void {
  // Forwards is a quarter turn to the right of left.
  const [fx, fy] = [-ny, nx];
  ctx.strokeStyle = colour;
  ctx.fillStyle = colour;
  ctx.lineWidth = 2.5;
  ctx.beginPath();
  if (kind === 'brake_m') {
    ctx.moveTo(x - nx * 7, y - ny * 7);
    ctx.lineTo(x + nx * 7, y + ny * 7);
    ctx.stroke();
  } else if (kind === 'turn_in_m') {
    ctx.lineWidth = 1.8;
    ctx.moveTo(x - fx * 5 + nx * 5, y - fy * 5 + ny * 5);
    ctx.lineTo(x, y);
    ctx.lineTo(x - fx * 5 - nx * 5, y - fy * 5 - ny * 5);
    ctx.stroke();
  } else if (kind === 'slowest_m') {
    ctx.arc(x, y, 4, 0, 2 * Math.PI);
    ctx.fill();
    ctx.strokeStyle = paper;
    ctx.lineWidth = 1;
    ctx.stroke();
  } else {
    ctx.moveTo(x + fx * 6, y + fy * 6);
    ctx.lineTo(x - fx * 4 + nx * 5, y - fy * 4 + ny * 5);
    ctx.lineTo(x - fx * 4 - nx * 5, y - fy * 4 - ny * 5);
    ctx.closePath();
    ctx.fill();
  }
}

/** The sign of a note: its pole stands on the place. */
export function drawFlag(ctx: CanvasRenderingContext2D, [x, y]: [number, number], colour: string): void {
  ctx.beginPath();
  ctx.moveTo(x, y);
  ctx.lineTo(x, y - 15);
  ctx.strokeStyle = colour;
  ctx.lineWidth = 1.6;
  ctx.stroke();
  ctx.beginPath();
  ctx.moveTo(x, y - 15);
  ctx.lineTo(x + 9, y - 15);
  ctx.lineTo(x + 6.5, y - 11.5);
  ctx.lineTo(x + 9, y - 8);
  ctx.lineTo(x, y - 8);
  ctx.closePath();
  ctx.fillStyle = colour;
  ctx.fill();
}
