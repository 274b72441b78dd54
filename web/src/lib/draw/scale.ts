// The one scale along the circuit: built once, read by strips, staves, rulers and gestures.

export interface Scale {
  readonly from: number;
  readonly to: number;
  readonly width: number;
  /** pixels for each metre */
  readonly perMetre: number;
  /** pixels from the left edge, of a place in metres */
  x(place: number): number;
  /** the place in metres under a pixel */
  place(x: number): number;
}

export function scaleOf(zoom: readonly [number, number], width: number): Scale {
  const [from, to] = zoom;
  const perMetre = width / Math.max(to - from, 1e-9);
  return {
    from,
    to,
    width,
    perMetre,
    x: (place) => (place - from) * perMetre,
    place: (x) => from + x / perMetre,
  };
}

/** How a picture drawn on one scale has to be moved to lie on another, as a CSS transform; undefined where it does. */
export function moved(drawn: Scale, now: Scale): string | undefined {
  if (drawn.from === now.from && drawn.to === now.to) return undefined;
  return `translateX(${now.x(drawn.from)}px) scaleX(${now.perMetre / drawn.perMetre})`;
}
