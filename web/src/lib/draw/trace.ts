// Traces a curve into a canvas path so that peaks survive: at most four points a pixel.
import type { Scale } from './scale';
import type { Unit } from '$lib/quantities/units';

/**
 * Adds a polyline of a curve on a grid of whole steps to a path.
 *
 * Where several samples share a pixel column, its first, lowest, highest and last are drawn in their order. A stepped
 * one holds each value until the next.
 */
export function trace(
  path: Path2D | CanvasRenderingContext2D,
  s: ArrayLike<number>,
  values: ArrayLike<number>,
  scale: Pick<Scale, 'from' | 'to' | 'perStep'>,
  y: (value: number) => number,
  stepped = false,
): void {
  const { from, to, perStep } = scale;
  const last = s.length - 1;
  const first = Math.max(0, Math.floor(from) - 1);
  const end = Math.min(last, Math.ceil(to) + 1);
  let down = false;
  let before = 0;
  const go = (i: number) => {
    const value = values[i] as number;
    if (!Number.isFinite(value)) {
      down = false;
      return;
    }
    const px = ((s[i] as number) - from) * perStep;
    if (down && stepped) path.lineTo(px, before);
    before = y(value);
    if (down) path.lineTo(px, y(value));
    else path.moveTo(px, y(value));
    down = true;
  };
  if (perStep > 0.5) {
    for (let i = first; i <= end; i++) go(i);
    return;
  }
  let i = first;
  while (i <= end) {
    const column = Math.floor(((s[i] as number) - from) * perStep);
    let low = i;
    let high = i;
    let j = i;
    while (j + 1 <= end && Math.floor(((s[j + 1] as number) - from) * perStep) === column) {
      j++;
      if ((values[j] as number) < (values[low] as number)) low = j;
      if ((values[j] as number) > (values[high] as number)) high = j;
    }
    go(i);
    if (low !== i && low !== j && low < high) go(low);
    if (high !== i && high !== j) go(high);
    if (low !== i && low !== j && low > high) go(low);
    if (j !== i) go(j);
    i = j + 1;
  }
}

/** Round steps for an axis: about `count` of them between low and high. */
export function ticks(low: number, high: number, count: number): number[] {
  const span = high - low;
  if (!(span > 0)) return [low];
  const raw = span / Math.max(1, count);
  const power = 10 ** Math.floor(Math.log10(raw));
  const step = [1, 2, 5, 10].map((m) => m * power).find((m) => m >= raw * 0.999) ?? raw;
  const found: number[] = [];
  for (let v = Math.ceil(low / step - 1e-9) * step; v <= high + step * 1e-6; v += step)
    found.push(Math.abs(v) < step * 1e-6 ? 0 : v);
  return found;
}

/** Marks of an axis: what is written, in the unit that is read, and the value in SI where it stands. */
export function marksOf(
  [low, high]: [number, number],
  unit: Unit,
  count: number,
): { text: string; value: number }[] {
  return ticks(low * unit.factor + unit.offset, high * unit.factor + unit.offset, Math.max(1, count)).map(
    (tick) => ({
      text: String(Number(tick.toFixed(6))).replace('-', '−'),
      value: (tick - unit.offset) / unit.factor,
    }),
  );
}
