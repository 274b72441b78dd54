<script lang="ts">
  import { createQuery, keepPreviousData } from '@tanstack/svelte-query';
  import { ListPlus, Minimize2, Plus, ZoomIn } from '@lucide/svelte';
  import { api, ApiProblem, done, fetchCurves } from '$lib/api/client';
  import { keys } from '$lib/api/keys';
  import { registry } from '$lib/quantities/registry.svelte';
  import { alongPart, decodeCurves } from '$lib/desk/curves';
  import { Desk } from '$lib/desk/desk.svelte';
  import { actionOf, KEYS } from '$lib/desk/keys';
  import { readPlace, writePlace } from '$lib/desk/place';
  import { fullRate } from '$lib/draw/colours';
  import Score from '$lib/score/Score.svelte';
  import TrackMap from '$lib/map/TrackMap.svelte';
  import { addressed, keepAddress } from '$lib/session/address.svelte';
  import { present } from '$lib/session/present.svelte';
  import Book from '$lib/parts/Book.svelte';
  import LapChooser from '$lib/places/compare/LapChooser.svelte';
  import LapSheet from '$lib/places/compare/LapSheet.svelte';
  import PassageCard from '$lib/places/compare/PassageCard.svelte';
  import Keys from '$lib/parts/Keys.svelte';
  import Trouble from '$lib/parts/Trouble.svelte';
  import { noteUndo } from '$lib/parts/notes.svelte';
  import { texts } from '$lib/words';
  import { day } from '$lib/quantities/dates.svelte';
  import { figure, unitOf } from '$lib/quantities/units';

  const t = texts.compare;
  const RENEWING_MS = 2_000;
  const desk = new Desk();
  const first = readPlace(addressed());
  if (first.staves?.length) desk.staves = first.staves;

  let asked = $state.raw({
    laps: first.laps.join(','),
    reference: first.reference,
    run: first.run,
    event: first.event,
    version: first.laps.length ? first.version : null,
  });
  let place = first;
  let choosing = $state(false);
  let helping = $state(false);
  let adding = $state(false);

  const lineUp = createQuery(() => ({
    queryKey: keys.desk(asked),
    queryFn: ({ signal }) =>
      done(
        api.GET('/api/desk', {
          params: {
            query: {
              ...(asked.laps ? { laps: asked.laps } : {}),
              ...(asked.reference ? { reference: asked.reference } : {}),
              ...(asked.run ? { run: asked.run } : {}),
              ...(asked.event ? { event: asked.event } : {}),
              ...(asked.version ? { version: asked.version } : {}),
            },
          },
          signal,
        }),
      ),
    placeholderData: keepPreviousData,
    // While newer numbers are coming the old ones are shown, and asked about.
    refetchInterval: (query) => (query.state.data?.renewing ? RENEWING_MS : false),
  }));
  $effect(() => {
    if (lineUp.data && !lineUp.isPlaceholderData && lineUp.data !== desk.lineUp) {
      if (desk.lineUp) place = { ...desk.place(), chosen: desk.chosen };
      registry.note(lineUp.data.nameless);
      desk.lay(lineUp.data, place);
    }
  });

  /** an address that was sent on an older version of the circuit */
  const old = $derived(
    desk.lineUp && !desk.lineUp.renewing && desk.lineUp.version !== desk.lineUp.present_version
      ? desk.lineUp
      : null,
  );
  /** Laps of analyses, which never change: what is cached under them is right for ever. */
  const laps = $derived(desk.laps.map((lap) => lap.curves).join(','));
  const base = $derived(desk.reference?.curves ?? '');
  const reference = $derived(desk.lineUp?.reference ?? '');
  const roles = $derived(
    desk.staves
      .filter((role) => role !== 'delta')
      .map(encodeURIComponent)
      .join(','),
  );
  const curves = createQuery(() => ({
    queryKey: keys.curves(present.build, laps, base, roles),
    queryFn: async ({ signal }) =>
      decodeCurves(await fetchCurves({ laps, reference: base, roles, build: present.build }, signal)),
    enabled: laps !== '' && base !== '',
    staleTime: Infinity,
    gcTime: 60_000,
    placeholderData: keepPreviousData,
    structuralSharing: false,
  }));
  $effect(() => {
    desk.curves = curves.data ?? null;
  });
  // An analysis that was replaced while the page was open is gone some day: then the line-up is asked for anew.
  $effect(() => {
    if (curves.error instanceof ApiProblem && curves.error.status === 404) void lineUp.refetch();
  });

  // Asked for when a stretch has come to rest, not while it is dragged; what is outdated is aborted.
  const part = $derived(desk.settled);
  const card = createQuery(() => ({
    queryKey: keys.card(laps, base, part, desk.corner),
    queryFn: ({ signal }) =>
      done(
        api.GET('/api/card', {
          params: {
            query: {
              laps,
              reference: base,
              ...where(part),
              ...(part?.passage && desk.corner ? { corner: desk.corner } : {}),
            },
          },
          signal,
        }),
      ),
    enabled: laps !== '' && base !== '' && part !== null,
    placeholderData: keepPreviousData,
  }));
  const where = (of: typeof part) =>
    of?.passage ? { passage: of.passage } : { from_m: of?.from ?? 0, to_m: of?.to ?? 0 };

  // The chosen lap as it would be without one cause of its loss.
  const own = $derived(desk.chosenLap?.curves ?? '');
  // Causes are named by the figures of the corner that the card shows.
  const corner = $derived(part?.passage && !card.isPlaceholderData ? (card.data?.corner ?? null) : null);
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
    enabled: laps !== '' && base !== '',
    staleTime: Infinity,
    gcTime: 60_000,
  }));
  $effect(() => {
    desk.doubt = doubt.data ?? null;
  });

  const rates = $derived(
    desk.laps.filter((lap) => lap.key !== reference).flatMap((lap) => desk.curve(lap.key, 'loss_rate') ?? []),
  );
  const full = $derived(fullRate(rates));
  const available = $derived(
    [...registry.codes, ...(desk.lineUp?.nameless.map((channel) => channel.code) ?? [])].filter(
      (role) =>
        role !== 'delta' && !desk.staves.includes(role) && desk.laps.some((lap) => lap.roles.includes(role)),
    ),
  );

  keepAddress('/compare', () => (desk.lineUp ? writePlace(desk.place()) : null));

  function lay(chosen: string[], newReference: string): void {
    asked = { laps: chosen.join(','), reference: newReference, run: null, event: null, version: null };
  }

  /** Other laps, with a way back to those that lay there before. */
  function layOther(chosen: string[], newReference: string): void {
    const before = asked;
    lay(chosen, newReference);
    if (chosen.join(',') === before.laps && newReference === before.reference) return;
    noteUndo(t.laidOut(chosen.length), async () => {
      asked = before;
    });
  }

  const actions: Record<keyof typeof KEYS, () => void> = {
    previousPassage: () => desk.step(-1),
    nextPassage: () => desk.step(1),
    nextLap: () => desk.stepLap(1),
    previousLap: () => desk.stepLap(-1),
    open: () => desk.open(),
    out: () => desk.out(),
    reference: () => {
      if (desk.chosen)
        lay(
          desk.laps.map((lap) => lap.key),
          desk.chosen,
        );
    },
    add: () => (choosing = true),
    help: () => (helping = true),
  };

  function onkey(event: KeyboardEvent): void {
    const action = actionOf(event);
    if (!action || !desk.lineUp || !(present.me?.shortcuts ?? true)) return;
    event.preventDefault();
    actions[action]();
  }

  const length = $derived(unitOf('length', present.units));
  const about = $derived(
    desk.lineUp
      ? `${desk.lineUp.event.circuit}, ${figure(desk.lineUp.layout.length_m, length)} ${length.label}. ${desk.lineUp.event.name}, ${day(desk.lineUp.event.day)}`
      : '',
  );
  const nothing = $derived(lineUp.error instanceof ApiProblem && lineUp.error.code === 'empty');
  const hundredth = $derived((full * 100).toFixed(2));
  const others: [string, string][] = [
    ['← →', texts.keys.cursor],
    [texts.keys.dragging, texts.keys.drag],
    [texts.keys.ctrlScroll, texts.keys.wheel],
    [texts.keys.shiftDrag, texts.keys.pan],
    [texts.keys.doubleClick, texts.keys.whole],
  ];
</script>

<svelte:head><title>{t.title} · {texts.name}</title></svelte:head>
<svelte:window onkeydown={onkey} />

<Book {about}>
  {#snippet left()}
    {#if desk.lineUp}
      <TrackMap
        layout={desk.lineUp.layout}
        rate={desk.chosen && desk.chosen !== reference ? desk.curve(desk.chosen, 'sure_rate') : undefined}
        {full}
        part={desk.part}
        cursor={desk.cursor}
        width={316}
        height={248}
        label={t.map}
        onplace={(s) => (desk.cursor = s)}
      />
      <p class="legend muted">
        <span>{t.gaining}</span><span class="scale"></span><span>{t.losing}</span><span class="figure"
          >{hundredth} {t.per100}</span
        >
      </p>
      {#if desk.part}
        {#if card.error}
          <Trouble error={card.error} again={() => void card.refetch()} />
        {:else if card.data}
          {#if desk.without && without.error}<Trouble error={without.error} />{/if}
          <PassageCard {desk} card={card.data} won={without.data?.won_s ?? null} />
        {/if}
        <div class="acts">
          <button type="button" class="may" onclick={() => desk.open()}><ZoomIn size={15} />{t.open}</button>
          <button
            type="button"
            class="may"
            onclick={() => {
              desk.whole();
              desk.clear();
            }}><Minimize2 size={15} />{t.back}</button
          >
        </div>
      {:else}
        <LapSheet {desk} />
      {/if}
    {/if}
  {/snippet}

  {#if nothing}
    <div class="empty">
      <p>{t.empty}</p>
      <a class="do" href="/hand-in">{t.emptyNext}</a>
    </div>
  {:else if lineUp.error}
    <Trouble error={lineUp.error} again={() => void lineUp.refetch()} />
  {:else if !desk.lineUp}
    <p class="muted">{texts.loading}</p>
  {:else}
    {#if old}
      <p class="muted" role="status">
        {t.measuredOn(old.version, old.present_version)}
        <button type="button" class="may" onclick={() => (asked = { ...asked, version: null })}
          >{t.measureNow(old.present_version)}</button
        >
      </p>
    {/if}
    {#if desk.lineUp.renewing}<p class="muted" role="status">{t.renewing}</p>{/if}
    {#if curves.error}<Trouble error={curves.error} again={() => void curves.refetch()} />{/if}
    <div class="bar">
      <button type="button" class="may" onclick={() => (choosing = true)}
        ><ListPlus size={15} />{t.changeLaps}</button
      >
      {#if desk.zoomed}
        <button type="button" class="may" onclick={() => desk.whole()}
          ><Minimize2 size={15} />{t.wholeLap}</button
        >
      {/if}
      <span class="grow"></span>
      {#if adding}
        <select
          class="select"
          aria-label={t.addStave}
          onchange={(e) => {
            if (e.currentTarget.value) desk.staves = [...desk.staves, e.currentTarget.value];
            adding = false;
          }}
        >
          <option value="">{t.addStave} …</option>
          {#each available as role (role)}<option value={role}>{registry.label(role)}</option>{/each}
        </select>
      {:else}
        <button type="button" class="may" disabled={!available.length} onclick={() => (adding = true)}
          ><Plus size={15} />{t.addStave}</button
        >
      {/if}
      <button type="button" class="may" onclick={() => (helping = true)}>{t.keys}&nbsp;<kbd>?</kbd></button>
    </div>
    <Score {desk} {full} />
  {/if}
</Book>

<LapChooser {desk} bind:open={choosing} onlay={layOther} />
<Keys
  bind:open={helping}
  title={t.keysTitle}
  keys={[...Object.values(KEYS).map((key): [string, string] => [key.shown, key.does]), ...others]}
/>

<style>
  .legend {
    display: flex;
    align-items: center;
    gap: 6px;
    font-size: 11px;
    margin: 0 0 10px;
  }
  .scale {
    width: 84px;
    height: 7px;
    background: linear-gradient(to right, var(--gain), var(--strip), var(--loss));
  }
  .acts {
    display: flex;
    gap: 8px;
    margin-top: 12px;
  }
  .bar {
    display: flex;
    gap: 8px;
    align-items: center;
    margin-bottom: 4px;
  }
  .bar .may {
    min-height: 28px;
    padding: 0.1rem 0.6rem;
    font-size: 13px;
  }
  .bar .select {
    width: auto;
    height: 28px;
    padding: 0 28px 0 8px;
    font-size: 13px;
  }
  .grow {
    flex: 1;
  }
  kbd {
    font-family: var(--mono);
    font-stretch: 75%;
    font-size: 0.85em;
    border: 1px solid var(--rule);
    border-radius: 3px;
    padding: 0 5px;
    background: var(--paper);
  }
  .empty {
    display: grid;
    gap: 14px;
    justify-items: start;
    padding: 60px 0;
    font-size: 16px;
  }
</style>
