// How a verdict comes about: before and after, what of the change comes by itself, and what is left. Rounded so that what
// is shown adds up as shown.
import type { CueAnswered } from '$lib/api/client';
import type { Unit } from '$lib/quantities/units';

/** In the reader's unit; ``after`` is where the typical lap went, which one slip does not move. */
export interface Sum {
  before: number;
  after: number;
  change: number;
  luck: number;
  whole: number;
  left: number;
  within: number;
}

interface Told {
  before: number | null;
  change: number | null;
  low: number | null;
  high: number | null;
  luck: number | null;
  whole: number | null;
}

export const ofFigure = (answer: CueAnswered): Told => ({
  before: answer.figure_before,
  change: answer.change,
  low: answer.low,
  high: answer.high,
  luck: answer.luck,
  whole: answer.whole,
});

export const ofTime = (answer: CueAnswered): Told => ({
  before: answer.time_before_s,
  change: answer.time_change_s,
  low: answer.time_low_s,
  high: answer.time_high_s,
  luck: answer.time_luck_s,
  whole: answer.time_whole_s,
});

export function sumOf(told: Told, unit: Unit): Sum | null {
  const { before, change, low, high } = told;
  if (before === null || change === null || low === null || high === null) return null;
  const scale = 10 ** unit.digits;
  const round = (value: number): number => Math.round(value * unit.factor * scale) / scale;
  const [luck, whole, left] = [round(told.luck ?? 0), round(told.whole ?? 0), round(change)];
  const first = Math.round((before * unit.factor + unit.offset) * scale) / scale;
  const whatever = Math.round((luck + whole + left) * scale) / scale;
  return {
    before: first,
    after: Math.round((first + whatever) * scale) / scale,
    change: whatever,
    luck,
    whole,
    left,
    within: round((high - low) / 2),
  };
}
