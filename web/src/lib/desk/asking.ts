// How the line-up of an address is asked for.
import { api, done } from '$lib/api/client';
import { keys } from '$lib/api/keys';
import type { Place } from '$lib/desk/place';

export interface Asked {
  laps: string;
  reference: string | null;
  run: number | null;
  event: number | null;
  version: number | null;
}

export const askedBy = (place: Place): Asked => ({
  laps: place.laps.join(','),
  reference: place.reference,
  run: place.run,
  event: place.event,
  version: place.laps.length ? place.version : null,
});

export const deskQuery = (asked: Asked) => ({
  queryKey: keys.desk(asked),
  queryFn: ({ signal }: { signal: AbortSignal }) => {
    const query = {
      ...(asked.laps ? { laps: asked.laps } : {}),
      ...(asked.reference ? { reference: asked.reference } : {}),
      ...(asked.run ? { run: asked.run } : {}),
      ...(asked.event ? { event: asked.event } : {}),
      ...(asked.version ? { version: asked.version } : {}),
    };
    return done(api.GET('/api/desk', { params: { query }, signal }));
  },
});
