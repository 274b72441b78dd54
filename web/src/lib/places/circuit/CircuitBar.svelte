<!-- Above the curves: which day, where things snap, the way back and forth, keeping it. -->
<script lang="ts">
  import { FileDown, Minimize2, Redo2, Undo2 } from '@lucide/svelte';
  import type { Ground } from '$lib/api/client';
  import type { Drafting } from '$lib/circuit/drafting.svelte';
  import { day } from '$lib/quantities/dates.svelte';
  import { texts } from '$lib/words';

  interface Props {
    drafting: Drafting;
    ground: Ground;
    may: boolean;
    busy: boolean;
    /** whether what is drawn can be so */
    possible: boolean;
    onday: (event: number) => void;
    onkeep: () => void;
    ontake: () => void;
    onhelp: () => void;
  }
  let { drafting, ground, may, busy, possible, onday, onkeep, ontake, onhelp }: Props = $props();

  const t = texts.circuit;
  const snapping = $derived(drafting.snap.braking ? 'braking' : drafting.snap.tens ? 'tens' : 'none');
</script>

<div class="bar">
  {#if ground.days.length}
    <select
      class="select"
      aria-label={t.day}
      value={ground.day}
      onchange={(e) => onday(Number(e.currentTarget.value))}
    >
      {#each ground.days as item (item.id)}
        <option value={item.id}>{item.name}, {day(item.day)}</option>
      {/each}
    </select>
  {:else}<span class="muted">{t.noDay}</span>{/if}
  <label class="snap">
    <span class="muted">{t.snap}</span>
    <select
      class="select"
      value={snapping}
      onchange={(e) => {
        const to = e.currentTarget.value;
        drafting.snap = { braking: to === 'braking', tens: to === 'tens' };
      }}
    >
      {#each ['braking', 'tens', 'none'] as const as choice (choice)}
        <option value={choice}>{t.snaps[choice]}</option>
      {/each}
    </select>
  </label>
  {#if drafting.zoomed}
    <button type="button" class="may" onclick={() => drafting.whole()}
      ><Minimize2 size={15} />{t.wholeLap}</button
    >
  {/if}
  <span class="grow"></span>
  <button
    type="button"
    class="may icon"
    disabled={!drafting.canUndo}
    aria-label={t.undo}
    title={t.undo}
    onclick={() => drafting.undo()}><Undo2 size={15} /></button
  >
  <button
    type="button"
    class="may icon"
    disabled={!drafting.canRedo}
    aria-label={t.redo}
    title={t.redo}
    onclick={() => drafting.redo()}><Redo2 size={15} /></button
  >
  <button type="button" class="may" disabled={!drafting.changed} onclick={() => drafting.discard()}
    >{t.discard}</button
  >
  {#if may}
    <button
      type="button"
      class="do"
      disabled={!drafting.changed || busy || !possible}
      onclick={() => onkeep()}>{t.keep}</button
    >
  {/if}
  <button type="button" class="may icon" aria-label={t.takeAway} title={t.takeAway} onclick={() => ontake()}
    ><FileDown size={15} /></button
  >
  <button type="button" class="may icon" aria-label={t.keys} title={t.keys} onclick={() => onhelp()}
    ><kbd>?</kbd></button
  >
</div>

<style>
  .bar {
    display: flex;
    flex-wrap: wrap;
    gap: 8px;
    align-items: center;
    margin-bottom: 4px;
  }
  .bar .may,
  .bar .do {
    min-height: 28px;
    padding: 0.1rem 0.6rem;
    font-size: 13px;
  }
  .bar .icon {
    padding: 0 7px;
  }
  .bar .select {
    width: auto;
    max-width: 214px;
    height: 28px;
    min-height: 28px;
    padding: 0 26px 0 8px;
    font-size: 13px;
  }
  .snap {
    display: flex;
    align-items: center;
    gap: 6px;
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
</style>
