// What the server answers about the laps on the desk: curves, the card, doubts, held-up parts. Each fails by itself.
import { createQuery, keepPreviousData } from '@tanstack/svelte-query';
import { api, ApiProblem, done, fetchArrow } from '$lib/api/client';
import { keys } from '$lib/api/keys';
import { alongPart, decodeBands, decodeCurves } from '$lib/desk/curves';
import { OWN, type Desk } from '$lib/desk/desk.svelte';
import { NAMELESS } from '$lib/quantities/registry.svelte';
import { present } from '$lib/session/present.svelte';

/** What the card draws of every lap, one of each pair. */
const PEDALS = ['brake_pressure', 'brake_pedal', 'brake_inferred', 'throttle', 'throttle_inferred'];
/** Of a longer piece samples are not seen apart. */
const SAMPLED_M = 500;
const SAMPLED_BLOCK_M = 100;

/**
 * Asks whenever laps, reference, stretch or staves change, and hands the answers to the desk.
 *
 * @param desk what lies on it
 * @param gone an analysis was replaced while the page was open: the line-up has to be asked for anew
 */
export function answersOf(desk: Desk, gone: () => void) {
  // Laps of analyses, which never change: what is cached under them is right for ever, in whatever order they lie.
  const laps = $derived(
    desk.laps
      .map((lap) => lap.curves)
      .sort()
      .join(','),
  );
  const base = $derived(desk.reference?.curves ?? '');
  const ready = $derived(laps !== '' && base !== '');
  const roles = $derived([
    ...desk.roles.filter((role) => !OWN.includes(role)),
    ...(desk.roles.includes('offset_gap') && !desk.roles.includes('offset') ? ['offset'] : []),
  ]);
  const asked = $derived([...roles].sort().map(encodeURIComponent).join(','));
  const part = $derived(desk.settled);
  const where = (of: typeof part) =>
    of?.passage ? { passage: of.passage } : { from_m: of?.from ?? 0, to_m: of?.to ?? 0 };

  const curves = createQuery(() => ({
    queryKey: keys.curves(present.build, laps, base, asked),
    queryFn: async ({ signal }) =>
      decodeCurves(
        await fetchArrow('curves', { laps, reference: base, roles: asked, build: present.build }, signal),
      ),
    enabled: ready,
    staleTime: Infinity,
    gcTime: 60_000,
    placeholderData: keepPreviousData,
    structuralSharing: false,
  }));
  $effect(() => {
    // What could not be had takes nothing away that is on show.
    if (curves.data) desk.curves = curves.data;
  });
  $effect(() => {
    if (curves.error instanceof ApiProblem && curves.error.status === 404) gone();
  });

  // Asked for when a stretch has come to rest, not while it is dragged; what is outdated is aborted.
  const card = createQuery(() => ({
    queryKey: keys.card(laps, base, part, desk.corner),
    queryFn: ({ signal }) => {
      const corner = part && desk.corner ? { corner: desk.corner } : {};
      const query = { laps, reference: base, ...where(part), ...corner };
      return done(api.GET('/api/card', { params: { query }, signal }));
    },
    enabled: ready && part !== null,
    placeholderData: keepPreviousData,
  }));

  // The drawings of the card need the pedals, whether their staves are on show or not.
  const pedals = $derived(
    PEDALS.filter((role) => !roles.includes(role) && desk.laps.some((lap) => lap.roles.includes(role))).join(
      ',',
    ),
  );
  const applied = createQuery(() => ({
    queryKey: keys.curves(present.build, laps, base, pedals),
    queryFn: async ({ signal }) =>
      decodeCurves(
        await fetchArrow('curves', { laps, reference: base, roles: pedals, build: present.build }, signal),
      ),
    enabled: ready && pedals !== '' && part?.passage != null,
    staleTime: Infinity,
    gcTime: 60_000,
    structuralSharing: false,
  }));
  $effect(() => {
    desk.pedals = applied.data ?? null;
  });

  // The chosen lap as it would be without one cause of its loss; causes are named by the figures of the card's corner.
  const own = $derived(desk.chosenLap?.curves ?? '');
  const corner = $derived(part && !card.isPlaceholderData ? (card.data?.corner ?? null) : null);
  const without = createQuery(() => ({
    queryKey: keys.without(own, base, part, corner, desk.without),
    queryFn: ({ signal }) => {
      const query = {
        laps: own,
        reference: base,
        cause: desk.without ?? '',
        ...where(part),
        ...(corner ? { corner } : {}),
      };
      return done(api.GET('/api/card/without', { params: { query }, signal }));
    },
    enabled:
      own !== '' &&
      base !== '' &&
      part !== null &&
      desk.without !== null &&
      card.data !== undefined &&
      !card.isPlaceholderData,
    staleTime: Infinity,
    gcTime: 60_000,
  }));
  $effect(() => {
    const found = desk.without ? without.data : undefined;
    desk.rebuilt = found && desk.curves ? alongPart(desk.curves.s, found.s_m, found.speed) : null;
  });

  // Where the delta starts is part of its doubt: asked for when the stretch rests.
  const from = $derived(part?.from ?? 0);
  const doubt = createQuery(() => ({
    queryKey: keys.doubt(present.build, laps, base, from),
    queryFn: async ({ signal }) => {
      const query = { laps, reference: base, from_m: from, build: present.build };
      return { from, of: await done(api.GET('/api/doubt', { params: { query }, signal })) };
    },
    enabled: ready,
    staleTime: Infinity,
    gcTime: 60_000,
  }));
  $effect(() => {
    desk.doubt = doubt.data ?? null;
  });

  // What people wrote about the circuit and these runs.
  const notes = createQuery(() => ({
    queryKey: keys.notes(desk.lineUp?.layout.id ?? 0, desk.lineUp?.version ?? 1, desk.runs, ''),
    queryFn: ({ signal }) => {
      const query = { layout: desk.lineUp?.layout.id, version: desk.lineUp?.version, runs: desk.runs };
      return done(api.GET('/api/notes', { params: { query }, signal }));
    },
    enabled: desk.lineUp !== null,
  }));
  $effect(() => {
    desk.notes = notes.data?.notes ?? [];
  });

  // What drivers usually do: of the laps on show, once the stretch rests.
  const shown = $derived(
    desk.shown
      .map((lap) => lap.curves)
      .sort()
      .join(','),
  );
  const banded = $derived(desk.banded && desk.bandable.length > 0);
  const usual = $derived([...desk.roles].sort().map(encodeURIComponent).join(','));
  const bands = createQuery(() => ({
    queryKey: keys.bands(present.build, shown, base, usual, from),
    queryFn: async ({ signal }) => {
      const query = {
        laps: shown,
        reference: base,
        roles: usual,
        build: present.build,
        from_m: String(from),
      };
      return { from, of: decodeBands(await fetchArrow('bands', query, signal)) };
    },
    enabled: ready && banded,
    staleTime: Infinity,
    gcTime: 60_000,
    // Of other laps, or against another reference, they would be wrong for a moment.
    placeholderData: (before, query) =>
      query?.queryKey[2] === shown && query.queryKey[3] === base ? before : undefined,
    structuralSharing: false,
  }));
  $effect(() => {
    desk.bands = banded ? (bands.data ?? null) : null;
  });

  // Samples are asked for when one is close enough to see them, with a little more around so that a step aside needs
  // no further question.
  const near = $derived.by<[number, number] | null>(() => {
    const [low, high] = desk.drawn;
    if (high - low > SAMPLED_M) return null;
    const block = (place: number): number => Math.floor(place / SAMPLED_BLOCK_M) * SAMPLED_BLOCK_M;
    return [Math.max(0, block(low)), Math.min(desk.length, block(high) + SAMPLED_BLOCK_M)];
  });
  const logged = $derived(
    roles
      .filter((role) => !role.startsWith(NAMELESS))
      .sort()
      .join(','),
  );
  const samples = createQuery(() => ({
    queryKey: keys.samples(shown, logged, near?.[0] ?? 0, near?.[1] ?? 0),
    queryFn: ({ signal }) => {
      const query = { laps: shown, roles: logged, from_m: near?.[0] ?? 0, to_m: near?.[1] ?? 0 };
      return done(api.GET('/api/samples', { params: { query }, signal }));
    },
    enabled: ready && near !== null && logged !== '',
    staleTime: 60_000,
    gcTime: 60_000,
    structuralSharing: false,
  }));
  $effect(() => {
    desk.samples = near ? (samples.data?.channels ?? []) : [];
  });

  const held = createQuery(() => ({
    queryKey: keys.heldUp(laps),
    queryFn: ({ signal }) => done(api.GET('/api/held-up', { params: { query: { laps } }, signal })),
    enabled: ready,
    placeholderData: keepPreviousData,
  }));
  $effect(() => {
    desk.held = Object.fromEntries(
      (held.data?.laps ?? []).map((lap) => [lap.lap, lap.parts as [number, number][]]),
    );
  });

  return {
    get curves() {
      return curves;
    },
    get card() {
      return card;
    },
    get without() {
      return without;
    },
  };
}
