// The day's laps as the sheet shows them: whose, which, in which order, and which figure stands in a cell.
import type { DayLaps, SheetDriver, SheetLap } from '$lib/api/client';

export type Show = 'times' | 'own' | 'all';

export interface Group {
  driver: SheetDriver;
  /** runs of the driver, numbered in the order of time, each with the laps that are shown */
  runs: { id: number; number: number; clock: string; conditions: string | null; laps: SheetLap[] }[];
}

export interface Asked {
  driver: number | null;
  onlyCounting: boolean;
}

/** The clock at the circuit at which a run began, as it was logged. */
export function clockOf(startedAt: string | null): string {
  return /T(\d{2}:\d{2})/.exec(startedAt ?? '')?.[1] ?? '';
}

export function groups(day: DayLaps, asked: Asked): Group[] {
  return day.drivers
    .filter((row) => asked.driver === null || row.driver.id === asked.driver)
    .map((driver) => ({
      driver,
      runs: day.runs
        .filter((run) => run.driver === driver.driver.id)
        .map((run, i) => ({
          id: run.id,
          number: i + 1,
          clock: clockOf(run.started_at),
          conditions: run.conditions,
          laps: day.laps.filter(
            (lap) => lap.run === run.id && (!asked.onlyCounting || (lap.time_s !== null && !lap.set_aside)),
          ),
        })),
    }))
    .filter((group) => !asked.onlyCounting || group.runs.some((run) => run.laps.length));
}

/** Keys of the laps in the order in which they are shown. */
export function order(shown: Group[]): string[] {
  return shown.flatMap((group) => group.runs.flatMap((run) => run.laps.map((lap) => lap.key)));
}

/** All keys from one to the other, both with them. */
export function between(keys: string[], from: string, to: string): string[] {
  const [a, b] = [keys.indexOf(from), keys.indexOf(to)];
  if (a < 0 || b < 0) return [to];
  return keys.slice(Math.min(a, b), Math.max(a, b) + 1);
}

/** Best of all drivers in a column; null where nobody drove it. */
export function bestOfAll(day: DayLaps, column: number): number | null {
  const known = day.drivers.flatMap((row) => row.parts[column]?.best_s ?? []);
  return known.length ? Math.min(...known) : null;
}

/** What stands in a cell: the time, or how far it is from the driver's or the group's best there. */
export function cell(
  value: number | null | undefined,
  show: Show,
  own: number | null | undefined,
  all: number | null,
): number | null {
  if (value === null || value === undefined) return null;
  if (show === 'times') return value;
  const base = show === 'own' ? own : all;
  return base === null || base === undefined ? null : value - base;
}

/** Two times that are written alike are shown as equal. */
export const alike = (a: number | null | undefined, b: number | null | undefined): boolean =>
  a !== null && a !== undefined && b !== null && b !== undefined && Math.abs(a - b) < 5e-7;

/** The desk with a lap on it, measured against the one that is best in a part of the lap. */
export function deskAddress(
  laps: string[],
  reference: string,
  part: { from_m: number; to_m: number } | null,
): string {
  const all = [...new Set([reference, ...laps])];
  const chosen = laps.find((key) => key !== reference) ?? reference;
  const stretch =
    part && part.from_m < part.to_m ? `&stretch=${part.from_m.toFixed(1)}-${part.to_m.toFixed(1)}` : '';
  return `/compare?laps=${all.join(',')}&ref=${reference}&lap=${chosen}${stretch}`;
}

export type By = 'median' | 'best';

export interface Where {
  driver: SheetDriver;
  /** seconds given away in each column to the best of all there; null where nothing is known */
  lost: (number | null)[];
  total: number;
  /** the columns in which most is given away: three of many, one of three */
  most: number[];
}

/** How much each driver gives away in each part of the lap, usually or at best, to the best of all there. */
export function whereTimeIs(day: DayLaps, by: By): Where[] {
  const best = day.columns.map((_, k) => bestOfAll(day, k));
  return day.drivers
    .filter((driver) => driver.counting > 0)
    .map((driver) => {
      const lost = day.columns.map((_, k) => {
        const own = by === 'median' ? driver.parts[k]?.median_s : driver.parts[k]?.best_s;
        const there = best[k];
        return own === null || own === undefined || there === null || there === undefined
          ? null
          : own - there;
      });
      const most = lost
        .map((seconds, k) => ({ seconds: seconds ?? 0, k }))
        .filter((item) => item.seconds >= 0.005)
        .sort((a, b) => b.seconds - a.seconds)
        .slice(0, Math.min(3, Math.ceil(day.columns.length / 3)))
        .map((item) => item.k);
      return { driver, lost, total: lost.reduce<number>((sum, seconds) => sum + (seconds ?? 0), 0), most };
    });
}
