// Finding laps among hundreds: what is typed, and where the arrow keys lead.
import type { RunChoices } from '$lib/api/client';

const LAP = /^\d{1,3}$/;

/** Runs with the laps that all typed words fit: words of the run (driver, car, day, time), short numbers of the lap. */
export function fitting(runs: RunChoices[], typed: string): RunChoices[] {
  const words = typed.toLocaleLowerCase().split(/\s+/).filter(Boolean);
  if (!words.length) return runs;
  return runs.flatMap((run) => {
    const about = [run.driver.name, run.car ?? '', run.day, run.started_at?.slice(11, 16) ?? '']
      .join(' ')
      .toLocaleLowerCase();
    if (!words.every((word) => LAP.test(word) || about.includes(word))) return [];
    const numbers = words.filter((word) => LAP.test(word)).map(Number);
    const laps = run.laps.filter((lap) => numbers.every((number) => lap.number === number));
    return laps.length ? [{ ...run, laps }] : [];
  });
}

/** Where an arrow key leads from a cell of several rows of cells, each `columns` wide; null for other keys. */
export function stepped(key: string, at: number, sizes: number[], columns: number): number | null {
  const all = sizes.reduce((sum, size) => sum + size, 0);
  const inside = (to: number): number => Math.min(Math.max(to, 0), all - 1);
  if (key === 'ArrowLeft') return inside(at - 1);
  if (key === 'ArrowRight') return inside(at + 1);
  if (key === 'Home') return 0;
  if (key === 'End') return inside(all - 1);
  if (key !== 'ArrowUp' && key !== 'ArrowDown') return null;
  let first = 0;
  let run = 0;
  while (run < sizes.length - 1 && at >= first + (sizes[run] ?? 0)) first += sizes[run++] ?? 0;
  const size = sizes[run] ?? 0;
  const place = at - first;
  const column = place % columns;
  if (key === 'ArrowDown') {
    if (place + columns < size) return at + columns;
    if (Math.floor(place / columns) < Math.floor((size - 1) / columns)) return first + size - 1;
    const below = sizes[run + 1];
    return below === undefined ? at : first + size + Math.min(column, below - 1);
  }
  if (place >= columns) return at - columns;
  const above = sizes[run - 1];
  if (above === undefined) return at;
  const row = Math.floor((above - 1) / columns) * columns;
  return first - above + Math.min(row + column, above - 1);
}

/** Laps to lay on the desk: the reference, those that lie there already in their order, then the new ones. */
export function ordered(there: string[], known: string[], ticked: Set<string>, reference: string): string[] {
  const all = [reference, ...there, ...known].filter((key) => key === reference || ticked.has(key));
  return [...new Set(all)];
}
