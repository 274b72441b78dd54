<!-- What can be done with the whole desk. -->
<script lang="ts">
  import {
    Bookmark,
    ChartScatter,
    ListPlus,
    Map as MapIcon,
    NotebookPen,
    Rows3,
    Target,
    Waves,
  } from '@lucide/svelte';
  import type { Desk } from '$lib/desk/desk.svelte';
  import TakeAway from '$lib/places/compare/TakeAway.svelte';
  import { texts } from '$lib/words';

  interface Props {
    desk: Desk;
    /** what is taken away as a picture, and what its head says */
    root: HTMLElement | undefined;
    about: string;
    full: number;
    onopen: (what: 'laps' | 'reference' | 'staves' | 'kept' | 'keys' | 'notes') => void;
    onadd: (key: string) => void;
  }
  let { desk, root, about, full, onopen, onadd }: Props = $props();

  const t = texts.compare;
  /** The median of what lies here, and of nothing else: what is usual is told of the laps that are seen. */
  const median = $derived.by(() => {
    const key = 'median-desk';
    const driven = desk.laps.filter((lap) => !lap.made);
    return driven.length < 2 || desk.laps.some((lap) => lap.key === key) ? null : { key, says: t.addMedian };
  });
</script>

<div class="tool-bar desk-bar">
  <button type="button" class="may" onclick={() => onopen('laps')}
    ><ListPlus size={15} />{t.changeLaps}</button
  >
  <button type="button" class="may" onclick={() => onopen('reference')}
    ><Target size={15} />{t.against.change}</button
  >
  <button type="button" class="may" onclick={() => onopen('kept')}><Bookmark size={15} />{t.kept.open}</button
  >
  {#if median}
    <button type="button" class="may" onclick={() => onadd(median.key)}>{median.says}</button>
  {/if}
  {#if desk.hidden.length}
    <button type="button" class="may" onclick={() => (desk.hidden = [])}>{t.order.all}</button>
  {/if}
  {#if desk.bandable.length}
    <button
      type="button"
      class="may"
      aria-pressed={desk.banded}
      title={t.bandsHint}
      onclick={() => (desk.banded = !desk.banded)}
      ><Waves size={15} />{desk.banded ? t.everyLap : t.bands}</button
    >
  {/if}
  <span class="grow"></span>
  <button
    type="button"
    class="may"
    aria-pressed={desk.map !== null}
    onclick={() => (desk.map = desk.map ? null : 'lines')}
    ><MapIcon size={15} />{texts.compare.ground.open}</button
  >
  <button
    type="button"
    class="may"
    aria-pressed={desk.picture !== null}
    title={t.pictures.hint}
    onclick={() => (desk.picture = desk.picture ? null : 'steady')}
    ><ChartScatter size={15} />{t.pictures.open}</button
  >
  <button type="button" class="may" onclick={() => onopen('staves')}
    ><Rows3 size={15} />{t.staves.change}</button
  >
  <button
    type="button"
    class="may"
    aria-label={desk.notes.length ? t.notes.count(desk.notes.length) : t.notes.open}
    title="{t.notes.open} (w)"
    onclick={() => onopen('notes')}
    ><NotebookPen size={15} />{#if desk.notes.length}<span class="figure">{desk.notes.length}</span
      >{/if}</button
  >
  <TakeAway {desk} {root} {about} {full} />
  <button type="button" class="may" aria-label={t.keys} title={t.keysTitle} onclick={() => onopen('keys')}
    ><kbd>?</kbd></button
  >
</div>

<style>
  .desk-bar {
    margin-bottom: 4px;
  }
  .desk-bar :global(.may) {
    padding-inline: 0.45rem;
    max-width: 240px;
    overflow: hidden;
    text-overflow: ellipsis;
    white-space: nowrap;
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
</style>
