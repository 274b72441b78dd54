// The one scale along the circuit: built once, read by strips, staves, rulers and gestures.
import type { Axis } from '$lib/draw/axis';

export interface Scale {
  /** first and last step of the axis on show: metres, or those of the time axis */
  readonly from: number;
  readonly to: number;
  readonly width: number;
  /** pixels for each step */
  readonly perStep: number;
  /** pixels from the left edge, of a place in metres */
  x(place: number): number;
  /** the place in metres under a pixel */
  place(x: number): number;
}

/** A scale on which two places in metres are the ends. */
export function scaleOf(zoom: readonly [number, number], width: number, axis?: Axis): Scale {
  const step = (place: number): number => axis?.to(place) ?? place;
  const [from, to] = [step(zoom[0]), step(zoom[1])];
  const perStep = width / Math.max(to - from, 1e-9);
  return {
    from,
    to,
    width,
    perStep,
    x: (place) => (step(place) - from) * perStep,
    place: (x) => (axis ? axis.place(from + x / perStep) : from + x / perStep),
  };
}

/** How a picture drawn on one scale has to be moved to lie on another, as a CSS transform; undefined where it does. */
export function moved(drawn: Scale, now: Scale): string | undefined {
  if (drawn.from === now.from && drawn.to === now.to) return undefined;
  return `translateX(${(drawn.from - now.from) * now.perStep}px) scaleX(${now.perStep / drawn.perStep})`;
}
