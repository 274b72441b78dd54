// What a whole day is measured against: chosen from the paddock, the debrief or a lap on the desk, with its way back.
import type { QueryClient } from '@tanstack/svelte-query';
import { api, done } from '$lib/api/client';
import { keys } from '$lib/api/keys';
import { note, noteAction } from '$lib/parts/notes.svelte';
import { texts } from '$lib/words';

export const OWN_BESTS = 'own-bests';

/** A lap's address, the own bests, or null for what follows from the day's runs. Whatever shows it is asked for anew. */
export async function measureDay(client: QueryClient, event: number, lap: string | null): Promise<void> {
  const params = { path: { event_id: event } };
  const found = await done(api.PUT('/api/events/{event_id}/reference', { params, body: { lap } }));
  const again = async (): Promise<void> => {
    const shown = [keys.anyPaddock(), keys.anyDayReference(), keys.anyDebrief(), keys.anyDesk()];
    await Promise.all(shown.map((queryKey) => client.invalidateQueries({ queryKey })));
  };
  await again();
  const fits = lap === null || lap === OWN_BESTS || found.measured.some((one) => one.chosen);
  if (!fits) note(texts.dayReference.fitsNone);
  else if (found.action !== null) noteAction(texts.dayReference.changed, found.action, again);
}
