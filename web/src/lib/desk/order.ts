// The order of laps on the desk.
import type { DeskLap } from '$lib/api/client';

export const unique = <T>(items: T[]): T[] => [...new Set(items)];

/** Laps in the order of an address; what it does not name comes last. */
export function inOrder(laps: DeskLap[], keys: string[]): DeskLap[] {
  return unique([...keys, ...laps.map((lap) => lap.key)]).flatMap(
    (key) => laps.find((lap) => lap.key === key) ?? [],
  );
}

/** The whole lap, or a sector by its index. */
export type Measure = 'lap' | number;

/** Seconds that a lap loses to another, in the whole lap or in a sector; NaN where that is not known. */
export function lossOf(lap: DeskLap, reference: DeskLap | undefined, by: Measure): number {
  if (by === 'lap') return lap.delta_s;
  return (lap.sector_times_s[by] ?? NaN) - (reference?.sector_times_s[by] ?? NaN);
}

/** Of which parts losses stand side by side at the strips' ends. */
export const partsOf = (splits: number): Measure[] => [
  'lap',
  ...Array.from({ length: splits + 1 }, (_, i) => i),
];

/** A lap one place up or down. */
export function moved(laps: DeskLap[], key: string, by: 1 | -1): DeskLap[] {
  const from = laps.findIndex((lap) => lap.key === key);
  const to = from + by;
  const own = laps[from];
  if (!own || to < 0 || to >= laps.length) return laps;
  const found = laps.filter((lap) => lap.key !== key);
  found.splice(to, 0, own);
  return found;
}

/** The quickest first, what is not known last; the reference on top. */
export function sortedBy(laps: DeskLap[], by: Measure, reference: string | null): DeskLap[] {
  const base = laps.find((lap) => lap.key === reference);
  const loss = (lap: DeskLap): number => {
    if (lap.key === reference) return -Infinity;
    const own = lossOf(lap, base, by);
    return Number.isFinite(own) ? own : Infinity;
  };
  return [...laps].sort((a, b) => loss(a) - loss(b));
}
