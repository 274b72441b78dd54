// The desk's keys, in one table.
import { texts } from '$lib/words';

export interface Key {
  keys: string[];
  shown: string;
  does: string;
  /** a single letter, which the off switch silences; arrows and Escape stay */
  single: boolean;
}

export const KEYS = {
  previousPassage: { keys: [','], shown: ',', does: texts.keys.previousPassage, single: true },
  nextPassage: { keys: ['.'], shown: '.', does: texts.keys.nextPassage, single: true },
  nextLap: { keys: ['n'], shown: 'n', does: texts.keys.nextLap, single: true },
  previousLap: { keys: ['p'], shown: 'p', does: texts.keys.previousLap, single: true },
  open: { keys: ['o'], shown: 'o', does: texts.keys.open, single: true },
  out: { keys: ['u'], shown: 'u', does: texts.keys.out, single: true },
  reference: { keys: ['v'], shown: 'v', does: texts.keys.reference, single: true },
  add: { keys: ['a'], shown: 'a', does: texts.keys.add, single: true },
  hide: { keys: ['h'], shown: 'h', does: texts.keys.hide, single: true },
  alone: { keys: ['j'], shown: 'j', does: texts.keys.alone, single: true },
  measure: { keys: ['m'], shown: 'm', does: texts.keys.measure, single: true },
  swap: { keys: ['x'], shown: 'x', does: texts.keys.swap, single: true },
  map: { keys: ['l'], shown: 'l', does: texts.keys.map, single: true },
  picture: { keys: ['i'], shown: 'i', does: texts.keys.picture, single: true },
  note: { keys: ['w'], shown: 'w', does: texts.keys.note, single: true },
  cue: { keys: ['g'], shown: 'g', does: texts.keys.cue, single: true },
  keep: { keys: ['b'], shown: 'b', does: texts.keys.keep, single: true },
  play: { keys: ['k'], shown: 'k', does: texts.keys.play, single: true },
  staves: { keys: ['s'], shown: 's', does: texts.keys.staves, single: true },
  help: { keys: ['?'], shown: '?', does: texts.keys.help, single: true },
} satisfies Record<string, Key>;

export type Action = keyof typeof KEYS;

/** What a key press asks for, if anything. */
export function actionOf(event: KeyboardEvent): Action | null {
  if (event.ctrlKey || event.metaKey || event.altKey) return null;
  const target = event.target as HTMLElement | null;
  if (target?.closest('input, select, textarea, [contenteditable], [role=dialog], [role=menu]')) return null;
  for (const [action, key] of Object.entries(KEYS)) if (key.keys.includes(event.key)) return action as Action;
  return null;
}
