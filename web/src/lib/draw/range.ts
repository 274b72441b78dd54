// What a stave shows from lowest to highest, and where its lines end.
import type { Curve } from '$lib/desk/curves';

interface Ranged {
  values: Curve;
  /** half the width that is drawn around the line */
  width?: Curve | undefined;
  /** curves between which something is drawn */
  between?: [Curve, Curve];
}

/** Lowest and highest value of what is on show; the zero line stays where it is asked for. */
export function rangeOf(lines: Ranged[], from: number, to: number, zero: boolean): [number, number] {
  let low = Infinity;
  let high = -Infinity;
  const first = Math.max(0, Math.floor(from));
  const last = Math.ceil(to);
  for (const { values, width, between } of lines)
    for (let i = first; i <= last && i < values.length; i++) {
      const v = values[i] as number;
      const around = width?.[i] ?? 0;
      const least = between ? (between[0][i] as number) : v - around;
      const most = between ? (between[1][i] as number) : v + around;
      if (least < low) low = least;
      if (most > high) high = most;
    }
  if (zero) [low, high] = [Math.min(low, 0), Math.max(high, 0)];
  if (!(high > low)) return Number.isFinite(low) ? [low - 1, low + 1] : [0, 1];
  return [low, high];
}

/** Heights that lie at least `apart` from each other, in [0, most], as near to the wanted ones as can be. */
export function spread(wanted: number[], apart: number, most: number): number[] {
  const order = wanted.map((_, i) => i).sort((a, b) => (wanted[a] ?? 0) - (wanted[b] ?? 0));
  const found = [...wanted];
  let least = 0;
  for (const i of order) {
    found[i] = Math.max(wanted[i] ?? 0, least);
    least = (found[i] ?? 0) + apart;
  }
  let room = most;
  for (const i of order.reverse()) {
    found[i] = Math.min(found[i] ?? 0, room);
    room = (found[i] ?? 0) - apart;
  }
  return found;
}
