// What a driver was asked over and over at one place, as one habit along all runs.
import type { CueOver } from '$lib/api/client';

export interface HabitRun {
  run: number;
  value: number;
}

export interface HabitOver {
  key: string;
  /** the newest first */
  asked: CueOver[];
  /** what the driver usually did in each run, SI */
  runs: HabitRun[];
}

/** One habit for a kind, place and figure; those asked last come first. */
export function habitsOf(cues: readonly CueOver[]): HabitOver[] {
  const found = new Map<string, CueOver[]>();
  for (const over of cues) {
    const { kind, corner, passage, target } = over.cue;
    const key = `${kind}:${corner ?? passage}:${target.figure}`;
    found.set(key, [...(found.get(key) ?? []), over]);
  }
  return [...found].map(([key, asked]) => ({ key, asked, runs: runsOf(asked) }));
}

/** A run is told by the newest cue that looked at it: places of an older one may be of an older circuit. */
function runsOf(asked: readonly CueOver[]): HabitRun[] {
  const values = new Map<number, number>();
  for (const over of asked) {
    const looked: [number, number | null][] = over.looks.map((look) => [look.run, look.after]);
    for (const [run, value] of [[over.run, over.cue.target.now] as [number, number], ...looked])
      if (value !== null && !values.has(run)) values.set(run, value);
  }
  return [...values].map(([run, value]) => ({ run, value }));
}

/** The lowest and highest value that is drawn, with a little room. */
export function spanOf(habit: HabitOver): [number, number] {
  const values = [
    ...habit.runs.map((one) => one.value),
    ...habit.asked.map((over) => over.cue.target.value),
    ...habit.asked.flatMap((over) => (over.cue.reference === null ? [] : [over.cue.reference])),
  ];
  const [low, high] = [Math.min(...values), Math.max(...values)];
  const room = Math.max((high - low) * 0.12, Math.abs(high) * 1e-4, 1e-3);
  return [low - room, high + room];
}
