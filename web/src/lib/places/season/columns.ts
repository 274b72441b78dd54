// One column for each run, the same for the pace and for every cue beneath it.
import type { SeasonRun } from '$lib/api/client';

export interface Columns {
  /** px from the left edge of the drawing, by run */
  at: Record<number, number>;
  step: number;
  width: number;
  /** where a new day begins: its run and place */
  days: { day: string; x: number }[];
  /** between runs that do not compare: what differs */
  breaks: { x: number; differs: string[]; room: number }[];
}

const EDGE = 14;
const LEAST = 18;
const MOST = 110;
/** px between the names of two days */
const LABEL = 52;

/** Columns of runs over a width; wider than that where there are too many. */
export function columnsOf(runs: readonly SeasonRun[], width: number): Columns {
  const step = Math.min(Math.max((width - 2 * EDGE) / Math.max(runs.length, 1), LEAST), MOST);
  const at: Record<number, number> = {};
  const days: Columns['days'] = [];
  const breaks: Columns['breaks'] = [];
  runs.forEach((run, i) => {
    const x = EDGE + (i + 0.5) * step;
    at[run.run] = x;
    if (run.differs.length) breaks.push({ x: x - step / 2, differs: run.differs, room: 0 });
    const last = days.at(-1);
    if (runs[i - 1]?.day !== run.day && (!last || x - last.x >= LABEL)) days.push({ day: run.day, x });
  });
  const end = 2 * EDGE + runs.length * step;
  breaks.forEach((each, i) => (each.room = (breaks[i + 1]?.x ?? end) - each.x));
  return { at, step, width: Math.max(2 * EDGE + runs.length * step, LABEL), days, breaks };
}

/** Times from quick to slow that an axis covers, with a little room. */
export function rangeOf(runs: readonly SeasonRun[]): [number, number] {
  const times = runs.flatMap((run) =>
    [run.best_s, run.theoretical_s, run.median_s].filter((time): time is number => time !== null),
  );
  if (!times.length) return [0, 1];
  const [low, high] = [Math.min(...times), Math.max(...times)];
  const room = Math.max((high - low) * 0.08, 0.05);
  return [low - room, high + room];
}

/** Round times inside a range, about so many. */
export function ticksOf([low, high]: [number, number], count = 4): number[] {
  const raw = (high - low) / count;
  const power = 10 ** Math.floor(Math.log10(raw));
  const size = [1, 2, 5, 10].map((each) => each * power).find((each) => each >= raw) ?? raw;
  const found: number[] = [];
  for (let k = Math.ceil(low / size); k * size <= high; k += 1) found.push(k * size);
  return found;
}

/** As many words as have room, about so many px a letter; the first ones go before. */
export function fitting(words: readonly string[], room: number, letter = 6): string {
  let text = '';
  for (const word of words) {
    const more = text ? `${text}, ${word}` : word;
    if (more.length * letter > room) break;
    text = more;
  }
  return text;
}

export type Sign = 'open' | 'there' | 'lost' | 'cannot';

/** What is drawn for a look: whether what was asked was there. */
export function signOf(look: { stage: string; answer: string }, keep: boolean): Sign {
  if (look.answer === 'cannot_judge') return 'cannot';
  if (look.stage === 'lost_again') return 'lost';
  if (['reached', 'kept', 'came_back'].includes(look.stage)) return 'there';
  return keep ? 'there' : 'open';
}
