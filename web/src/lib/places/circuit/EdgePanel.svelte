<!-- Where the road ends to its left and right, and the pit lane: drawn, from a lap driven along it, or from a file. -->
<script lang="ts" module>
  function median(values: number[]): number {
    const sorted = [...values].sort((a, b) => a - b);
    return sorted[sorted.length >> 1] ?? 0;
  }
</script>

<script lang="ts">
  import { createQuery } from '@tanstack/svelte-query';
  import { api, done, type Ground } from '$lib/api/client';
  import { keys } from '$lib/api/keys';
  import type { Drafting } from '$lib/circuit/drafting.svelte';
  import { beside, type Outline, type Outlined } from '$lib/circuit/outline.svelte';
  import { figure, lapTime, unitOf } from '$lib/quantities/units';
  import { present } from '$lib/session/present.svelte';
  import { texts } from '$lib/words';

  interface Props {
    drafting: Drafting;
    ground: Ground;
    outline: Outline;
    onkeep: (what: Outlined, edge: { lap: string } | { points: [number, number][] } | null) => void;
    onfile: (text: string) => void;
  }
  let { drafting, ground, outline, onkeep, onfile }: Props = $props();
  const t = texts.circuit;
  const KINDS: Outlined[] = ['left', 'right', 'pit_lane'];
  let what = $state<Outlined>('left');
  let offset = $state(6);
  const there = $derived(
    what === 'left'
      ? ground.left_limit !== null
      : what === 'right'
        ? ground.right_limit !== null
        : ground.pit_lane.length > 0,
  );
  const laps = createQuery(() => ({
    queryKey: keys.laps({ event: ground.day, columns: 'sectors' }),
    queryFn: ({ signal }) =>
      done(
        api.GET('/api/laps', { params: { query: { event: ground.day ?? 0, columns: 'sectors' } }, signal }),
      ),
    enabled: ground.day !== null,
  }));
  const driven = $derived(
    (laps.data?.laps ?? []).flatMap((lap) => {
      const run = laps.data?.runs.find((own) => own.id === lap.run);
      const who = laps.data?.drivers.find((own) => own.driver.id === run?.driver);
      return lap.time_s === null
        ? []
        : [{ key: lap.key, told: t.lapOf(who?.driver.name ?? '', lap.number, lapTime(lap.time_s)) }];
    }),
  );
  const metres = $derived(unitOf('width', present.units));

  function atCursor(): void {
    const own = drafting.cursor;
    if (own === null) return;
    const point = beside(
      ground.layout,
      ground.closed,
      own,
      (outline.what === 'right' ? -offset : offset) / metres.factor,
    );
    if (point) outline.add(point);
  }

  async function read(event: Event): Promise<void> {
    const input = event.currentTarget as HTMLInputElement;
    const file = input.files?.[0];
    if (file) onfile(await file.text());
    input.value = '';
  }
</script>

<div class="edges">
  <h3>{t.edges}</h3>
  {#if outline.drawing}
    <p role="status">{t.drawing(t.edgeKinds[outline.what], outline.points.length)}</p>
    <p class="muted help">{t.drawingHelp}</p>
    <div class="row">
      <label class="across">
        <span class="muted">{t.across} ({metres.label})</span>
        <input class="input figure" type="number" min="0" max="200" step="0.5" bind:value={offset} />
      </label>
      <button type="button" class="may" disabled={drafting.cursor === null} onclick={atCursor}
        >{t.pointAtCursor}</button
      >
    </div>
    <div class="row">
      <button
        type="button"
        class="do"
        disabled={outline.points.length < 2}
        onclick={() => onkeep(outline.what, { points: outline.points })}>{t.keep}</button
      >
      <button type="button" class="may" disabled={!outline.points.length} onclick={() => outline.back()}
        >{t.pointBack}</button
      >
      <button type="button" class="may" onclick={() => outline.end()}>{t.discard}</button>
    </div>
  {:else}
    <div class="row">
      <select class="select" aria-label={t.edges} bind:value={what}>
        {#each KINDS as kind (kind)}<option value={kind}>{t.edgeKinds[kind]}</option>{/each}
      </select>
      <button
        type="button"
        class="may"
        onclick={() => {
          drafting.held = null;
          outline.begin(what);
        }}>{t.draw}</button
      >
      {#if there}
        <button type="button" class="may" onclick={() => onkeep(what, null)}>{t.takeEdge}</button>
      {/if}
    </div>
    {#if what !== 'pit_lane' && driven.length}
      <label class="lap">
        <span class="muted">{t.alongEdge}</span>
        <select
          class="select"
          value=""
          onchange={(e) => {
            const lap = e.currentTarget.value;
            e.currentTarget.value = '';
            if (lap) onkeep(what, { lap });
          }}
        >
          <option value="">{t.noLap}</option>
          {#each driven as lap (lap.key)}<option value={lap.key}>{lap.told}</option>{/each}
        </select>
      </label>
    {/if}
    <label class="file may">
      {t.edgesFile}
      <input type="file" accept=".geojson,.json,application/geo+json" onchange={(e) => void read(e)} />
    </label>
    <p class="muted help">{t.edgesHelp}</p>
  {/if}
  <p class="muted help">
    {t.edgesThere(
      [
        ...(ground.left_limit ? [t.edgeKinds.left] : []),
        ...(ground.right_limit ? [t.edgeKinds.right] : []),
        ...(ground.pit_lane.length ? [t.edgeKinds.pit_lane] : []),
      ],
      ground.left_limit && ground.right_limit
        ? `${figure(median(ground.left_limit.map((own, i) => own - (ground.right_limit?.[i] ?? 0))), metres)} ${metres.label}`
        : '',
    )}
  </p>
</div>

<style>
  .edges {
    border-top: 1px solid var(--rule);
    margin-top: 12px;
    padding-top: 6px;
    display: grid;
    gap: 6px;
  }
  h3 {
    font-size: 13px;
    font-weight: 620;
  }
  .row {
    display: flex;
    flex-wrap: wrap;
    gap: 6px;
    align-items: end;
  }
  .row .select {
    flex: 1;
    min-width: 0;
  }
  .select {
    min-height: 28px;
    padding: 0 24px 0 6px;
    font-size: 12px;
  }
  .may,
  .do {
    min-height: 28px;
    padding: 0 8px;
    font-size: 12px;
  }
  .lap,
  .across {
    display: grid;
    gap: 1px;
    font-size: 11px;
  }
  .across .input {
    min-height: 28px;
    padding: 2px 6px;
    font-size: 12px;
    width: 90px;
  }
  .file {
    justify-self: start;
    display: inline-flex;
    align-items: center;
    cursor: pointer;
  }
  .file:focus-within {
    outline: 2px solid var(--accent);
    outline-offset: 2px;
  }
  .file input {
    position: absolute;
    width: 1px;
    height: 1px;
    opacity: 0;
  }
  .help {
    font-size: 12px;
  }
</style>
