// What else than the driving differs between a lap and the reference.
import type { Difference } from '$lib/api/client';
import { day } from '$lib/quantities/dates.svelte';
import { texts } from '$lib/words';

/** In a few words: "in the Coupe, on medium, damp". */
export function inWords(differs: Difference[]): string {
  const t = texts.compare.differs;
  return differs
    .flatMap(({ what, own }) => (own === null ? [] : [what === 'day' ? t.day(day(own)) : t[what](own)]))
    .join(', ');
}

/** Whether a lap is compared with one that is not its like: another day alone is no such thing. */
export function unlike(differs: Difference[]): boolean {
  return differs.some(({ what }) => what !== 'day');
}
