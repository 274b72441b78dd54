// The laps of the line-up driven again: by time, each where it was so many seconds after the stretch began, or by place,
// all where one of them was.
import { valueAt, type Curve } from '$lib/desk/curves';
import type { Desk } from '$lib/desk/desk.svelte';

export type PlayedBy = 'time' | 'place';
export const PACES = [0.1, 0.25, 0.5, 1, 2, 4];
export const STEP_S = 0.1;

/** The place of a lap so many seconds from its line; NaN before and after it was driven. */
export function placeAt(s: Float64Array, time: Curve, seconds: number): number {
  const last = time.length - 1;
  if (!(seconds >= (time[0] ?? 0) && seconds <= (time[last] ?? 0))) return NaN;
  let [low, high] = [0, last];
  while (high - low > 1) {
    const middle = (low + high) >> 1;
    if ((time[middle] ?? 0) <= seconds) low = middle;
    else high = middle;
  }
  const [a, b] = [time[low] ?? 0, time[high] ?? 0];
  const share = b > a ? (seconds - a) / (b - a) : 0;
  return (s[low] ?? 0) * (1 - share) + (s[high] ?? 0) * share;
}

export class Playing {
  on = $state(false);
  /** how much faster than it was */
  pace = $state(1);
  by = $state<PlayedBy>('time');
  loop = $state(true);
  /** whether the map goes along with the chosen lap */
  follow = $state(false);
  /** seconds since the stretch began; null: nothing was played yet */
  clock = $state<number | null>(null);

  constructor(private readonly desk: Desk) {}

  /** What is played, from and to in metres; across the line only what lies behind it can be told. */
  readonly part = $derived.by<[number, number]>(() => {
    const { settled, length } = this.desk;
    if (!settled) return [0, length];
    return settled.from < settled.to ? [settled.from, settled.to] : [settled.from, length];
  });

  /** Whether the stretch goes on behind the line, which no lap of its own tells. */
  readonly cut = $derived.by<boolean>(() => {
    const { settled } = this.desk;
    return settled !== null && settled.from >= settled.to;
  });

  private timeOf(key: string): Curve | undefined {
    return this.desk.curve(key, 'time');
  }

  /** Seconds a lap takes from the beginning of the part to a place. */
  private since(key: string, place: number): number {
    const { curves } = this.desk;
    const time = this.timeOf(key);
    return curves && time ? valueAt(curves.s, time, place) - valueAt(curves.s, time, this.part[0]) : NaN;
  }

  /** Until the last of them is through. */
  readonly end = $derived.by<number>(() =>
    Math.max(
      0,
      ...this.desk.shown.map((lap) => this.since(lap.key, this.part[1])).filter((s) => Number.isFinite(s)),
    ),
  );

  /** Where each lap is now, by its key; null while nothing is played. */
  readonly dots = $derived.by<Record<string, number> | null>(() => {
    const { curves, shown, chosen, lineUp } = this.desk;
    if (this.clock === null || !curves) return null;
    const leading = chosen ?? lineUp?.reference ?? '';
    const found: Record<string, number> = {};
    const of = (key: string): number => {
      const time = this.timeOf(key);
      if (!time) return NaN;
      const begun = valueAt(curves.s, time, this.part[0]);
      return Math.min(placeAt(curves.s, time, begun + (this.clock ?? 0)), this.part[1]);
    };
    const shared = this.by === 'place' ? of(leading) : NaN;
    for (const lap of shown) {
      const place = this.by === 'place' ? shared : of(lap.key);
      if (Number.isFinite(place)) found[lap.key] = place;
    }
    return found;
  });

  /** Begins at the cursor where that lies in the part, or where it was halted. */
  toggle(): void {
    if (this.on) {
      this.on = false;
      return;
    }
    const { cursor, chosen } = this.desk;
    const here = chosen && this.dots?.[chosen];
    const moved =
      cursor !== null && (here === undefined || here === null || Math.abs(Number(here) - cursor) > 1);
    if (moved && chosen && cursor >= this.part[0] && cursor < this.part[1] - 1)
      this.clock = Math.max(0, this.since(chosen, cursor));
    if (this.clock === null || this.clock >= this.end - 1e-3) this.clock = 0;
    this.on = true;
  }

  stop(): void {
    this.on = false;
    this.clock = null;
  }

  /** So many seconds on, or back. */
  go(seconds: number): void {
    const next = (this.clock ?? 0) + seconds;
    if (next > this.end && this.loop && this.on) this.clock = this.end > 0 ? next % this.end : 0;
    else {
      this.clock = Math.min(Math.max(next, 0), this.end);
      if (next >= this.end) this.on = false;
    }
    const { chosen } = this.desk;
    const here = chosen ? this.dots?.[chosen] : undefined;
    if (here !== undefined) this.desk.cursor = here;
  }
}
