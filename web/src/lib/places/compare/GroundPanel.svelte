<!-- The large map on the desk: driven lines of all laps, or a small map of the loss of each, linked to cursor and stretch. -->
<script lang="ts">
  import { Compass, Maximize, Minus, Plus, X } from '@lucide/svelte';
  import { createQuery, keepPreviousData } from '@tanstack/svelte-query';
  import { api, done, fetchArrow, type DeskLap } from '$lib/api/client';
  import { keys } from '$lib/api/keys';
  import { valueAt } from '$lib/desk/curves';
  import { called, inFull } from '$lib/desk/called';
  import type { Desk } from '$lib/desk/desk.svelte';
  import type { Playing } from '$lib/desk/playing.svelte';
  import { within } from '$lib/desk/stretch';
  import { nameInk } from '$lib/draw/inks';
  import { mode } from '$lib/draw/mode.svelte';
  import { decodeDriven } from '$lib/map/driven';
  import PlayBar from '$lib/places/compare/PlayBar.svelte';
  import LineMap from '$lib/map/LineMap.svelte';
  import { KINDS } from '$lib/map/points';
  import PointSign from '$lib/map/PointSign.svelte';
  import TrackMap from '$lib/map/TrackMap.svelte';
  import Behind from '$lib/parts/Behind.svelte';
  import Trouble from '$lib/parts/Trouble.svelte';
  import { registry } from '$lib/quantities/registry.svelte';
  import { figure, signed, unitOf } from '$lib/quantities/units';
  import { present } from '$lib/session/present.svelte';
  import { texts } from '$lib/words';

  let { desk, full, playing }: { desk: Desk; full: number; playing: Playing } = $props();

  // What is not on show does not run on.
  $effect(() => () => playing.stop());

  const t = texts.compare.ground;
  const HEIGHT = 360;
  const SMALL: [number, number] = [206, 150];
  const LOSS = 'sure_rate';
  const OFFSETS = ['offset_turn_in', 'offset_apex', 'offset_exit'] as const;
  let width = $state(0);
  let map = $state<LineMap>();

  const names = $derived(
    desk.shown
      .map((lap) => lap.curves)
      .sort()
      .join(','),
  );
  const driven = createQuery(() => ({
    queryKey: keys.driven(present.build, names),
    queryFn: async ({ signal }) =>
      decodeDriven(await fetchArrow('driven', { laps: names, build: present.build }, signal)),
    enabled: names !== '',
    staleTime: Infinity,
    gcTime: 60_000,
    placeholderData: keepPreviousData,
    structuralSharing: false,
  }));
  const points = createQuery(() => ({
    queryKey: keys.points(present.build, names),
    queryFn: ({ signal }) =>
      done(
        api.GET('/api/driven/points', { params: { query: { laps: names, build: present.build } }, signal }),
      ),
    enabled: names !== '',
    staleTime: Infinity,
    gcTime: 60_000,
    placeholderData: keepPreviousData,
  }));

  const range = $derived<[number, number]>(
    desk.zoomed ? desk.zoom : desk.settled ? [desk.settled.from, desk.settled.to] : [0, desk.length],
  );
  const laps = $derived(desk.shown.map((lap) => ({ lap, nth: desk.nth(lap.key) })));
  const unknown = $derived(
    driven.data && !driven.isPlaceholderData
      ? desk.shown.filter((lap) => !driven.data?.of(lap.curves)).map(inFull)
      : [],
  );
  /** Channels that can colour the chosen lap: what is on show. */
  const channels = $derived(
    desk.roles.filter((role) => role !== 'delta' && desk.chosen && desk.curve(desk.chosen, role)),
  );
  const colouring = $derived.by(() => {
    const role = desk.coloured;
    if (!role || !desk.chosen) return null;
    const values = desk.curve(desk.chosen, role === 'loss_rate' ? LOSS : role);
    if (!values) return null;
    if (role === 'loss_rate') return { values, low: 0, high: full, loss: true };
    let [low, high] = [Infinity, -Infinity];
    for (const value of values) {
      if (value < low) low = value;
      if (value > high) high = value;
    }
    return { values, low, high, loss: false };
  });
  const unit = $derived(desk.coloured ? registry.unit(desk.coloured) : null);

  /** The corners whose points stand in the table: those in the stretch, or in what is on show. */
  const corners = $derived(
    (desk.lineUp?.layout.corners ?? []).filter((corner) =>
      within({ from: range[0], to: range[1] }, corner.apex_m),
    ),
  );
  const distance = $derived(unitOf('distance', present.units));
  const speed = $derived(unitOf('speed', present.units));
  const time = $derived(unitOf('time', present.units));
  /** Who is where: by time how far ahead of the reference, first who is ahead; by place how much later, first who is quickest. */
  const now = $derived.by(() => {
    const { dots, by } = playing;
    const { curves, lineUp } = desk;
    if (!dots || !curves || !lineUp) return [];
    const base = dots[lineUp.reference] ?? NaN;
    return desk.shown
      .flatMap((lap) => {
        const place = dots[lap.key];
        const speeds = desk.curve(lap.key, 'speed');
        if (place === undefined) return [];
        const delta = desk.curve(lap.key, 'delta');
        return [
          {
            lap,
            speed: speeds ? valueAt(curves.s, speeds, place) : NaN,
            gap: by === 'time' ? place - base : delta ? valueAt(curves.s, delta, place) : NaN,
          },
        ];
      })
      .sort((a, b) => (by === 'time' ? b.gap - a.gap : b.speed - a.speed));
  });
  /** What a lap loses in the stretch, where there is one; across the line with what it has lost up to it. */
  function lossIn(lap: DeskLap): number {
    const { settled, curves, length } = desk;
    const delta = desk.curve(lap.key, 'delta');
    if (!settled || !curves || !delta) return lap.delta_s;
    const at = (place: number): number => valueAt(curves.s, delta, place);
    return settled.from < settled.to ? at(settled.to) : at(length) + at(settled.to) - at(0);
  }
  const widthUnit = $derived(unitOf('width', present.units));
</script>

<section class="ground" aria-label={t.open} bind:clientWidth={width}>
  <div class="tool-bar" data-apart>
    {#each ['lines', 'each'] as const as kind (kind)}
      <button type="button" class="may" aria-pressed={desk.map === kind} onclick={() => (desk.map = kind)}
        >{t.kinds[kind]}</button
      >
    {/each}
    {#if desk.map === 'lines'}
      <select
        class="select"
        aria-label={t.coloured}
        title={t.coloured}
        value={colouring ? desk.coloured : ''}
        onchange={(event) => (desk.coloured = event.currentTarget.value || null)}
      >
        <option value="">{t.drivers}</option>
        <option value="loss_rate">{t.loss}</option>
        {#each channels as role (role)}<option value={role}>{registry.label(role)}</option>{/each}
      </select>
      <button
        type="button"
        class="may"
        aria-pressed={desk.upwards}
        onclick={() => (desk.upwards = !desk.upwards)}><Compass size={14} />{t.upwards}</button
      >
      <button type="button" class="tool" aria-label={t.nearer} title={t.nearer} onclick={() => map?.zoom(1.5)}
        ><Plus size={15} /></button
      >
      <button
        type="button"
        class="tool"
        aria-label={t.further}
        title={t.further}
        onclick={() => map?.zoom(1 / 1.5)}><Minus size={15} /></button
      >
      <button type="button" class="tool" aria-label={t.fit} title={t.fit} onclick={() => map?.whole()}
        ><Maximize size={14} /></button
      >
    {/if}
    <span class="grow"></span>
    <button type="button" class="tool" aria-label={t.close} title={t.close} onclick={() => (desk.map = null)}
      ><X size={15} /></button
    >
  </div>
  {#if driven.error}<Trouble error={driven.error} again={() => void driven.refetch()} />{/if}
  {#if desk.map === 'each' && desk.lineUp}
    <ul class="each">
      {#each desk.shown.filter((lap) => lap.key !== desk.lineUp?.reference) as lap (lap.key)}
        <li class:chosen={lap.key === desk.chosen}>
          <button
            type="button"
            style:color={nameInk(lap, mode.dark)}
            aria-pressed={lap.key === desk.chosen}
            onclick={() => (desk.chosen = lap.key)}
            ><span class="who">{called(lap).name}</span>&nbsp;{called(lap).nth}
            <span class="figure muted">{signed(lossIn(lap), time)}</span></button
          >
          <TrackMap
            layout={desk.lineUp.layout}
            rate={desk.curve(lap.key, LOSS)}
            {full}
            part={desk.settled}
            near={desk.settled}
            cursor={desk.cursor}
            width={SMALL[0]}
            height={SMALL[1]}
            label={t.ofLap(inFull(lap))}
            onplace={(s) => (desk.cursor = s)}
          />
        </li>
      {/each}
    </ul>
  {:else if driven.data && desk.lineUp && width > 0}
    <div class="stage">
      <LineMap
        bind:this={map}
        driven={driven.data}
        layout={desk.lineUp.layout}
        {laps}
        reference={desk.lineUp.reference}
        chosen={desk.chosen}
        points={points.data?.laps ?? []}
        notes={desk.placed.map((note) => note.at_m ?? 0)}
        {range}
        driving={desk.upwards}
        {colouring}
        cursor={desk.cursor}
        dots={playing.dots}
        follow={playing.follow}
        {width}
        height={HEIGHT}
        label={t.label}
        onplace={(place) => {
          if (!playing.on) desk.cursor = place;
        }}
      />
      {#if now.length}
        <ol class="now" aria-label={texts.compare.playing.now}>
          {#each now as row (row.lap.key)}
            <li
              class:chosen={row.lap.key === desk.chosen}
              style:color={row.lap.key === desk.lineUp.reference
                ? 'var(--muted)'
                : nameInk(row.lap, mode.dark)}
            >
              <span class="who">{called(row.lap).name} {called(row.lap).nth}</span>
              <span class="figure">{figure(row.speed, speed)}</span>
              <span class="figure">{signed(row.gap, playing.by === 'time' ? distance : time)}</span>
            </li>
          {/each}
          <li class="muted">
            <span class="who"></span><span>{speed.label}</span><span
              >{playing.by === 'time' ? distance.label : time.label}</span
            >
          </li>
        </ol>
      {/if}
    </div>
    <PlayBar {playing} />
    <p class="legend muted">
      {#each KINDS as kind (kind)}<span class="sign"><PointSign {kind} />{t.points[kind]}</span>{/each}
      {#if colouring && !colouring.loss && unit}
        <span class="figure">{figure(colouring.low, unit)}</span><span class="sequence"></span><span
          class="figure">{figure(colouring.high, unit)} {unit.label}</span
        >
      {/if}
      {#if unknown.length}<span>{t.noLine(unknown.join(', '))}</span>{/if}
      {#if driven.data.limits.length < 2}<span>{t.noLimits}</span>{/if}
    </p>
    {#if points.error}<Trouble error={points.error} again={() => void points.refetch()} />{/if}
    {#if points.data && corners.length}
      <Behind label={t.table}>
        {#snippet head()}
          <tr>
            <th scope="col">{texts.compare.depth.lap}</th>
            <th scope="col"></th>
            {#each KINDS as kind (kind)}<th scope="col" class="num">{t.points[kind]}, {distance.label}</th
              >{/each}
            {#each OFFSETS as offset (offset)}<th scope="col" class="num" title={t.across}
                >{t.offsets[offset]}, {widthUnit.label}</th
              >{/each}
          </tr>
        {/snippet}
        {#snippet rows()}
          {#each corners as corner (corner.name)}
            {#each desk.shown as lap (lap.key)}
              {@const row = points.data.laps
                .find((one) => one.lap === lap.curves)
                ?.corners.find((one) => one.corner === corner.name)}
              {#if row}
                <tr class:chosen={lap.key === desk.chosen}>
                  <th
                    scope="row"
                    style:color={lap.key === desk.lineUp?.reference
                      ? 'var(--muted)'
                      : nameInk(lap, mode.dark)}>{called(lap).name} {called(lap).nth}</th
                  >
                  <td>{corner.name}</td>
                  {#each KINDS as kind (kind)}
                    <td class="num figure">{row[kind] === null ? '–' : figure(row[kind], distance)}</td>
                  {/each}
                  {#each OFFSETS as offset (offset)}
                    <td class="num figure">{row[offset] === null ? '–' : signed(row[offset], widthUnit)}</td>
                  {/each}
                </tr>
              {/if}
            {/each}
          {/each}
        {/snippet}
      </Behind>
    {/if}
  {:else if !driven.error}
    <p class="muted" style:height="{HEIGHT}px" role="status">{texts.loading}</p>
  {/if}
</section>

<style>
  .ground {
    container-type: inline-size;
    margin-bottom: 8px;
  }
  .ground > .tool-bar {
    margin-bottom: 4px;
  }
  .each {
    display: flex;
    flex-wrap: wrap;
    gap: 8px;
  }
  .each li {
    border: 1px solid var(--rule);
    border-radius: 4px;
  }
  .each li.chosen {
    border-color: var(--ink);
  }
  .each button {
    display: flex;
    gap: 4px;
    width: 200px;
    min-height: 24px;
    padding: 2px 6px;
    font-weight: 560;
    font-size: 13px;
    cursor: pointer;
  }
  .who {
    overflow: hidden;
    text-overflow: ellipsis;
    white-space: nowrap;
  }
  .each .figure {
    margin-left: auto;
    font-weight: 400;
  }
  .stage {
    position: relative;
  }
  .now {
    position: absolute;
    top: 6px;
    right: 6px;
    padding: 4px 8px;
    background: var(--sheet);
    border: 1px solid var(--rule);
    border-radius: 4px;
    font-size: 12px;
    line-height: 16px;
    pointer-events: none;
  }
  @container (max-width: 560px) {
    .now {
      position: static;
      margin-top: 4px;
    }
  }
  .now li {
    display: grid;
    grid-template-columns: minmax(0, 110px) 5ch 6ch;
    gap: 6px;
    text-align: right;
  }
  .now .who {
    text-align: left;
  }
  .now .chosen {
    font-weight: 700;
  }
  .legend {
    display: flex;
    flex-wrap: wrap;
    gap: 2px 12px;
    align-items: center;
    font-size: 12px;
    margin: 4px 0;
  }
  .sign {
    display: inline-flex;
    gap: 4px;
    align-items: center;
  }
  .sequence {
    width: 84px;
    height: 7px;
    background: linear-gradient(to right, var(--sequence-low), var(--sequence-high));
  }
</style>
