// The day's laps as the sheet shows them: whose, which, in which order, and which figure stands in a cell.
import type { DayLaps, SheetDriver, SheetLap } from '$lib/api/client';
import type { TableColumn } from '$lib/parts/table/columns';

export type Show = 'times' | 'own' | 'all' | 'against';

export interface Group {
  driver: SheetDriver;
  /** runs of the driver, numbered in the order of time, each with the laps that are shown */
  runs: {
    id: number;
    number: number;
    clock: string;
    conditions: string | null;
    tyres: string | null;
    /** from lap to lap, s, by column */
    spreads: (number | null)[];
    laps: SheetLap[];
  }[];
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
          tyres: run.tyres,
          spreads: run.spreads_s,
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
  against: number | null | undefined = null,
): number | null {
  if (value === null || value === undefined) return null;
  if (show === 'times') return value;
  const from = show === 'own' ? own : show === 'all' ? all : against;
  return from === null || from === undefined ? null : value - from;
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

/** The sheet as a table for a spreadsheet: a row for each lap, times as they are, whatever is on show. */
export function sheetColumns(
  day: DayLaps,
  words: { driver: string; run: string; lap: string; time: string; aside: string },
): TableColumn<SheetLap>[] {
  const run = (lap: SheetLap) => day.runs.find((own) => own.id === lap.run);
  const who = (lap: SheetLap) =>
    day.drivers.find((own) => own.driver.id === run(lap)?.driver)?.driver.name ?? '';
  const seconds = (value: number | null | undefined) =>
    value === null || value === undefined ? '' : value.toFixed(3);
  return [
    { id: 'driver', header: words.driver, value: who, text: who },
    {
      id: 'run',
      header: words.run,
      value: (lap) => lap.run,
      text: (lap) => clockOf(run(lap)?.started_at ?? null),
    },
    { id: 'lap', header: words.lap, value: (lap) => lap.number, text: (lap) => String(lap.number) },
    {
      id: 'time',
      header: words.time,
      unit: 's',
      value: (lap) => lap.time_s,
      text: (lap) => seconds(lap.time_s),
    },
    ...day.columns.map((column, k) => ({
      id: `part${k}`,
      header: column.name,
      unit: 's',
      value: (lap: SheetLap) => lap.parts_s[k] ?? null,
      text: (lap: SheetLap) => seconds(lap.parts_s[k]),
    })),
    { id: 'aside', header: words.aside, value: (lap) => lap.set_aside, text: (lap) => lap.set_aside ?? '' },
  ];
}

/** The dots of a column: each lap that counts, how far along from the quickest to the slowest usual one. */
export function dots(
  day: DayLaps,
  shown: Group[],
  column: number,
): {
  driver: number;
  colour: number;
  name: string;
  places: { key: string; at: number; value: number; held: boolean }[];
}[] {
  const values = shown.flatMap((group) =>
    group.runs.flatMap((run) =>
      run.laps.flatMap((lap) => (lap.set_aside ? [] : (lap.parts_s[column] ?? []))),
    ),
  );
  if (!values.length) return [];
  const sorted = [...values].sort((a, b) => a - b);
  const low = sorted[0] ?? 0;
  // A lap in trouble does not press all others together: what is slower than most stands at the end.
  const median = sorted[sorted.length >> 1] ?? low;
  const high = Math.max(Math.min(sorted.at(-1) ?? low, median + 2.5 * (median - low)), low + 1e-3);
  return shown.map((group) => ({
    driver: group.driver.driver.id,
    colour: group.driver.driver.colour,
    name: group.driver.driver.name,
    places: group.runs.flatMap((run) =>
      run.laps.flatMap((lap) => {
        const value = lap.parts_s[column];
        if (lap.set_aside || value === null || value === undefined) return [];
        const at = Math.min(Math.max((value - low) / (high - low), 0), 1);
        return [{ key: lap.key, at, value, held: lap.held.includes(column) }];
      }),
    ),
  }));
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
