<!-- The head of the score: corners as numbered bars, notes on places, and in which part the loss stands at the strips' ends. -->
<script lang="ts">
  import { ArrowDownNarrowWide } from '@lucide/svelte';
  import { passageCalled } from '$lib/desk/called';
  import { shortName } from '$lib/desk/corners';
  import { partsOf, type Measure } from '$lib/desk/order';
  import type { Layout, Passage } from '$lib/api/client';
  import type { Desk } from '$lib/desk/desk.svelte';
  import type { Scale } from '$lib/draw/scale';
  import NoteFlag from '$lib/parts/NoteFlag.svelte';
  import { figure, unitOf } from '$lib/quantities/units';
  import { COLUMN, type Measures } from '$lib/score/measures';
  import { present } from '$lib/session/present.svelte';
  import { texts } from '$lib/words';

  type Corner = Layout['corners'][number];
  interface Props {
    desk: Desk;
    /** what is seen now */
    view: Scale;
    measures: Measures;
    /** width of the curves */
    inner: number;
    parts: ReturnType<typeof partsOf>;
    /** of which part the strips tell the loss at their ends */
    by: Measure;
    onnote: (id: number) => void;
  }
  let { desk, view, measures: m, inner, parts, by = $bindable(), onnote }: Props = $props();

  const t = texts.compare;
  const distance = $derived(unitOf('distance', present.units));
  const splits = $derived(desk.lineUp?.layout.splits_m ?? []);
  interface Numbered {
    passage: Passage;
    corner: Corner;
    x: number;
    level: number;
  }
  /** Corners on show; numbers that would lie on one another stand on up to three levels. */
  const numbers = $derived.by<Numbered[]>(() => {
    const found: Numbered[] = [];
    const ends = [-Infinity, -Infinity, -Infinity];
    const all = desk.passages.flatMap((passage) =>
      (desk.lineUp?.layout.corners ?? [])
        .filter((corner) => passage.corners.includes(corner.name))
        .map((corner) => ({ passage, corner, x: view.x(corner.apex_m) })),
    );
    for (const one of all.sort((a, b) => a.x - b.x)) {
      if (one.x < -2 || one.x > inner + 2) continue;
      const half = Math.min(Math.max(12.5, 3.6 * shortName(one.corner.name).length + 4), 48);
      // Where there is no room at all, the level that ended first.
      const free = ends.findIndex((end) => one.x - half >= end);
      const level = free >= 0 ? free : ends.indexOf(Math.min(...ends));
      ends[level] = one.x + half;
      found.push({ ...one, level });
    }
    return found;
  });
  const levels = $derived(Math.max(0, ...numbers.map((one) => one.level)));
  /** Notes on places of all laps: those of one stand on its strip. */
  const flags = $derived(
    desk.placed
      .filter((note) => !note.lap)
      .map((note) => ({ note, x: view.x(note.at_m ?? 0) }))
      .filter(({ x }) => x >= 0 && x <= inner),
  );
</script>

<div class="ruler" style:padding-left="{m.names + m.axis}px" style:padding-right="{m.values}px">
  <div class="bars" style:height="{25 + 25 * levels}px">
    {#each numbers as { passage, corner, x, level } (corner.name)}
      <button
        type="button"
        class="corner"
        class:chosen={desk.part?.passage === passage.name}
        style:left="{x}px"
        style:top="{level * 25}px"
        title={passageCalled(passage)}
        onclick={() => desk.choosePassage(passage)}>{shortName(corner.name)}</button
      >
    {/each}
  </div>
  {#if flags.length}
    <div class="flags">
      {#each flags as { note, x } (note.id)}
        <button
          type="button"
          class="flag"
          style:left="{x}px"
          aria-label={t.notes.at(note.text.slice(0, 200), `${figure(note.at_m, distance)} ${distance.label}`)}
          title={note.text.slice(0, 300)}
          onclick={() => onnote(note.id)}><NoteFlag /></button
        >
      {/each}
    </div>
  {/if}
  {#if m.columns > 1}
    <div class="heads" style:width="{m.values - 8}px" role="group" aria-label={t.order.by}>
      {#each parts as part (part)}
        <button
          type="button"
          class="head"
          style:width="{COLUMN}px"
          aria-pressed={by === part}
          title={t.order.sortBy(part === 'lap' ? t.order.lap : t.sector(part + 1))}
          onclick={() => {
            by = part;
            desk.sort(part);
          }}>{part === 'lap' ? t.lapTime : t.sectorShort(part + 1)}</button
        >
      {/each}
    </div>
  {:else if m.values > 60}
    <div class="order" style:width="{m.values - 8}px">
      <select
        class="by"
        aria-label={t.order.by}
        title={t.order.by}
        value={String(by)}
        onchange={(event) =>
          (by = event.currentTarget.value === 'lap' ? 'lap' : Number(event.currentTarget.value))}
      >
        <option value="lap">{t.order.lap}</option>
        {#each [...splits, 0].keys() as index (index)}
          <option value={String(index)}>{t.sector(index + 1)}</option>
        {/each}
      </select>
      <button
        type="button"
        class="sort"
        aria-label={t.order.sort}
        title={t.order.sort}
        onclick={() => desk.sort(by)}><ArrowDownNarrowWide size={15} /></button
      >
    </div>
  {/if}
</div>

<style>
  /* On a sheet of its own rulers and axes stand at the ends of the score. */
  :global(.taken) .ruler {
    position: relative !important;
    inset: auto !important;
  }
  .ruler {
    position: sticky;
    top: 0;
    z-index: 3;
    background: var(--paper);
  }
  .bars {
    position: relative;
    height: 24px;
  }
  .corner {
    position: absolute;
    top: 1px;
    min-width: 24px;
    max-width: 96px;
    height: 24px;
    padding: 0 3px;
    overflow: hidden;
    text-overflow: ellipsis;
    white-space: nowrap;
    transform: translateX(-50%);
    font-weight: 620;
    font-size: 12px;
    border-radius: 4px;
    cursor: pointer;
  }
  .order {
    position: absolute;
    right: 0;
    bottom: 0;
    display: flex;
    align-items: center;
  }
  .heads {
    position: absolute;
    right: 0;
    bottom: 0;
    display: flex;
  }
  .head {
    height: 24px;
    font-size: 11px;
    text-align: left;
    color: var(--muted);
    white-space: nowrap;
    cursor: pointer;
  }
  .head:hover,
  .head[aria-pressed='true'] {
    color: var(--ink);
  }
  .head[aria-pressed='true'] {
    font-weight: 640;
  }
  .by {
    width: calc(100% - 24px);
    height: 24px;
    font-size: 11px;
    color: var(--muted);
    background: none;
    border: none;
    padding: 0;
    text-overflow: ellipsis;
    cursor: pointer;
  }
  .sort {
    width: 24px;
    height: 24px;
    display: grid;
    place-items: center;
    border-radius: 4px;
    color: var(--muted);
    cursor: pointer;
  }
  .sort:hover {
    background: var(--strip);
    color: var(--ink);
  }
  .flags {
    position: relative;
    height: 20px;
  }
  .flag {
    position: absolute;
    top: -2px;
    width: 24px;
    height: 24px;
    margin-left: -2px;
    display: grid;
    align-items: center;
    cursor: pointer;
  }
  .corner:hover {
    background: var(--strip);
  }
  .corner.chosen {
    background: var(--accent);
    color: var(--on-accent);
  }
</style>
