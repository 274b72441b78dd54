// What is on show on the desk, given to its driver as a cue or as something to keep.
import { createQuery, type QueryClient } from '@tanstack/svelte-query';
import { api, done, type Cue } from '$lib/api/client';
import { keys } from '$lib/api/keys';
import { unlike } from '$lib/desk/differences';
import type { Desk } from '$lib/desk/desk.svelte';
import { note } from '$lib/parts/notes.svelte';
import { Preparing } from '$lib/places/debrief/preparing.svelte';
import { present } from '$lib/session/present.svelte';
import { texts } from '$lib/words';

const t = texts.compare.advice;

export function adviceOf(desk: Desk, client: QueryClient) {
  const preparing = new Preparing(client, () => desk.chosenLap?.driver?.name ?? '');
  const leads = $derived(present.me?.role === 'owner' || present.me?.role === 'coach');
  const run = $derived(desk.chosenLap && !desk.chosenLap.made ? desk.chosenLap.run : null);

  const across = $derived(desk.chosenLap ? unlike(desk.chosenLap.differs) : false);

  const cues = createQuery(() => ({
    queryKey: keys.cuesOf(run ?? 0),
    queryFn: () => done(api.GET('/api/runs/{run_id}/cues', { params: { path: { run_id: run ?? 0 } } })),
    enabled: leads && run !== null && run !== undefined,
  }));
  /** What the debrief of this run holds already of the passage on show. */
  const here = $derived.by((): Cue[] => {
    const part = desk.part;
    return part?.passage ? (cues.data?.cues ?? []).filter((cue) => cue.passage === part.passage) : [];
  });

  return {
    preparing,
    /** what is asked here already, and what is to be kept */
    get here(): Cue[] {
      return here;
    },
    /** whether there is something to be given, and somebody who may */
    get may(): boolean {
      return leads && run !== null && desk.part !== null && !across;
    },
    give(kind: 'cue' | 'keep'): void {
      const part = desk.part;
      if (!leads) note(t.onlyCoach);
      else if (run === null || run === undefined) note(t.noLap);
      else if (!part) note(t.noPlace);
      else if (across) note(t.across);
      else
        void preparing.ask({
          run,
          kind,
          ...(part.passage
            ? { passage: part.passage, corner: kind === 'cue' ? desk.corner : null }
            : { from_m: part.from, to_m: part.to }),
        });
    },
  };
}
