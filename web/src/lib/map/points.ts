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
