// Two channels of every lap on show, asked for by the pictures that draw them.
import { createQuery, keepPreviousData } from '@tanstack/svelte-query';
import { fetchArrow } from '$lib/api/client';
import { keys } from '$lib/api/keys';
import { decodeCurves, type Curve, type Curves } from '$lib/desk/curves';
import { OWN, type Desk } from '$lib/desk/desk.svelte';
import { unique } from '$lib/desk/order';
import { within } from '$lib/desk/stretch';
import { inkOf } from '$lib/draw/inks';
import { mode } from '$lib/draw/mode.svelte';
import type { Cloud } from '$lib/draw/plane';
import { present } from '$lib/session/present.svelte';

export function cloudsOf(of: () => Desk, roles: () => [string, string]) {
  const desk = $derived(of());
  const laps = $derived(
    desk.shown
      .map((lap) => lap.curves)
      .sort()
      .join(','),
  );
  const base = $derived(desk.reference?.curves ?? '');
  const asked = $derived(
    unique(roles().filter((role) => !OWN.includes(role)))
      .sort()
      .map(encodeURIComponent)
      .join(','),
  );
  const query = createQuery(() => ({
    queryKey: keys.curves(present.build, laps, base, asked),
    queryFn: async ({ signal }) =>
      decodeCurves(
        await fetchArrow('curves', { laps, reference: base, roles: asked, build: present.build }, signal),
      ),
    enabled: laps !== '' && base !== '' && asked !== '',
    staleTime: Infinity,
    gcTime: 60_000,
    placeholderData: keepPreviousData,
    structuralSharing: false,
  }));
  const values = (known: Curves, lap: { key: string; curves: string }, role: string): Curve | undefined =>
    OWN.includes(role) ? desk.curve(lap.key, role) : known.of(lap.curves, role);
  const clouds = $derived.by<Cloud[]>(() => {
    const { data } = query;
    if (!data) return [];
    const [over, up] = roles();
    return desk.shown.flatMap((lap) => {
      const [xs, ys] = [values(data, lap, over), values(data, lap, up)];
      if (!xs || !ys) return [];
      const reference = lap.key === desk.lineUp?.reference;
      const chosen = lap.key === desk.chosen;
      const colour = reference ? mode.inks.muted : inkOf(lap, desk.nth(lap.key), mode.dark).colour;
      return [{ key: lap.key, xs, ys, colour, size: chosen ? 2.6 : 1.8, dim: !chosen, rank: chosen ? 2 : reference ? 0 : 1 }]; // prettier-ignore
    });
  });
  return {
    query,
    get s(): Float64Array | null {
      return query.data?.s ?? null;
    },
    get clouds(): Cloud[] {
      return clouds;
    },
  };
}

/** Whether a place belongs to the stretch under study, or to what is zoomed in on, or to the lap. */
export function insideOf(desk: Desk): (place: number) => boolean {
  const part = desk.settled;
  if (part) return (place) => within(part, place);
  const [from, to] = desk.zoom;
  return (place) => place >= from && place <= to;
}
