<!-- One file that was handed in, and what became of it. -->
<script lang="ts">
  import { Progress } from '@skeletonlabs/skeleton-svelte';
  import { X } from '@lucide/svelte';
  import type { HandIn, HandInList, RunDetail } from '$lib/api/client';
  import { texts } from '$lib/words';
  import { fileSize, lapTime } from '$lib/quantities/units';
  import LapRow from '$lib/places/hand-in/LapRow.svelte';
  import NewCircuit from '$lib/places/hand-in/NewCircuit.svelte';
  import Unplaced from '$lib/places/hand-in/Unplaced.svelte';
  import SaveAs from '$lib/parts/SaveAs.svelte';

  interface Props {
    item: HandIn;
    act: (what: 'cancel' | 'retry' | 'dismiss', item: HandIn) => void;
    drove: (item: HandIn, name: string) => void;
    openChannels: (run: number) => void;
    circuits: NonNullable<HandInList['choices']>['circuits'];
    place: (item: HandIn, layout: number | null) => void;
    correct: (item: HandIn) => void;
    callCircuit: (item: HandIn, name: string) => void;
    changed: (run: RunDetail) => void;
    trouble: (error: unknown) => void;
  }
  let { item, act, drove, openChannels, circuits, place, correct, callCircuit, changed, trouble }: Props =
    $props();
  const t = texts.handIn;
  const busy = $derived(item.state === 'waiting' || item.state === 'running');
  const bad = $derived(item.state === 'refused' || item.state === 'failed');
  let lapsShown = $state(false);
  let notesShown = $state(false);

  /** Laps of a run by kind, in words. */
  const lapsOf = $derived.by(() => {
    const laps = item.run?.laps ?? [];
    const timed = laps.filter((lap) => lap.kind === 'timed');
    const others: Record<string, number> = {};
    for (const lap of laps) if (lap.set_aside) others[lap.set_aside] = (others[lap.set_aside] ?? 0) + 1;
    const rest = Object.entries(others).map(([kind, n]) => `${n} ${t.kinds[kind] ?? kind}`);
    return t.lapsLine(timed.length, rest.length ? ` (${t.aside}${rest.join(', ')})` : '');
  });
  const from = $derived(
    [t.sources[item.source], item.origin && item.source !== 'stream' ? item.origin.split('\n')[0] : '']
      .filter(Boolean)
      .join(' '),
  );
</script>

<li class:bad data-hand-in={item.id}>
  <div class="line">
    <strong class="file" title={item.file_name}>{item.file_name}</strong>
    {#if from}<span class="muted from" title={from}>{from}</span>{/if}
    {#if item.run && !busy}
      {@const run = item.run}
      <span class="doings">
        {#if run.renewing}<span class="muted" role="status">{t.renewing}</span>{/if}
        {#if run.run.best_s !== null}<a class="may" href="/compare?run={run.run.id}">{t.compare}</a>{/if}
        <button type="button" class="may" aria-expanded={lapsShown} onclick={() => (lapsShown = !lapsShown)}
          >{lapsShown ? t.hideLaps : t.laps}</button
        >
        <button type="button" class="may" onclick={() => openChannels(run.run.id)}
          >{t.channels(run.channels)}{#if run.unsure}<em class="loss">{t.unsure(run.unsure)}</em>{/if}</button
        >
        {#if run.warnings.length}
          <button
            type="button"
            class="may"
            aria-expanded={notesShown}
            onclick={() => (notesShown = !notesShown)}>{t.repaired(run.warnings.length)}</button
          >
        {/if}
        <SaveAs run={run.run.id} label={t.exports} />
      </span>
    {/if}
    <span class="muted figure">{fileSize(item.size)}</span>
    {#if busy}
      <span class="muted" role="status">{t.steps[item.step] ?? t.steps.waiting} …</span>
      <button type="button" class="may" onclick={() => act('cancel', item)}>{t.cancel}</button>
    {:else}
      <span class:loss={bad} class:gain={item.state === 'taken'}>{t.states[item.state]}</span>
      {#if item.can_retry}<button type="button" class="may" onclick={() => act('retry', item)}
          >{t.retry}</button
        >{/if}
      <button
        type="button"
        class="icon"
        title={t.dismiss}
        aria-label="{t.dismiss}: {item.file_name}"
        onclick={() => act('dismiss', item)}><X size={16} /></button
      >
    {/if}
  </div>
  {#if busy}
    <Progress value={Math.round(item.progress * 100)}
      ><Progress.Track class="track"><Progress.Range class="range" /></Progress.Track></Progress
    >
  {/if}
  {#if item.found}
    <NewCircuit found={item.found} call={(name) => callCircuit(item, name)} />
  {:else if item.message}<p class:told={item.state === 'taken'}>{item.message}</p>{/if}
  {#if item.can_place && !busy}<Unplaced {item} {circuits} {place} {correct} />{/if}
  {#if item.run && !busy}
    {@const run = item.run}
    {@const best = run.laps.find((lap) => lap.number === run.run.best_lap)}
    <div class="fate">
      <label class="drove"
        ><span class="muted">{t.drove}</span>
        <input
          class="input"
          list="drivers"
          maxlength="200"
          value={run.run.driver.name}
          onchange={(e) => drove(item, e.currentTarget.value)}
        /></label
      >
      <span class="where">{run.event.circuit}{run.run.car ? `, ${run.run.car}` : ''}</span>
      <span
        >{lapsOf}{#if best}, {t.best(lapTime(best.time_s))}{/if}</span
      >
    </div>
    {#if notesShown}
      <ul class="notes">
        {#each run.warnings as warning, i (i)}<li>{warning.message}</li>{/each}
      </ul>
    {/if}
    {#if lapsShown}<LapRow {run} {changed} {trouble} />{/if}
  {/if}
</li>

<style>
  li[data-hand-in] {
    min-width: 0;
    padding: 5px 0 7px;
    border-bottom: 1px solid var(--rule);
    display: grid;
    gap: 2px;
  }
  .bad {
    box-shadow: inset 3px 0 0 var(--loss);
    padding-left: 12px !important;
  }
  .fate,
  .doings {
    display: flex;
    align-items: center;
    gap: 4px 14px;
    flex-wrap: wrap;
  }
  .doings {
    gap: 2px;
    flex-wrap: nowrap;
  }
  .doings :global(.may) {
    padding-inline: 9px;
    font-size: 13px;
    border-color: transparent;
    background: none;
  }
  .doings :global(.may:hover),
  .doings :global(.may[aria-expanded='true']) {
    background: var(--strip);
  }
  .from {
    font-size: 13px;
    max-width: 240px;
    overflow: hidden;
    text-overflow: ellipsis;
    white-space: nowrap;
  }
  .where {
    overflow-wrap: anywhere;
  }
  .drove {
    display: flex;
    gap: 8px;
    align-items: center;
  }
  .drove .input {
    width: 150px;
    padding: 3px 8px;
    height: 32px;
  }
  .told {
    box-shadow: inset 3px 0 0 var(--brass);
    padding-left: 10px;
  }
  .notes {
    font-size: 13px;
    color: var(--muted);
    list-style: disc;
    padding-left: 20px;
  }
  em {
    font-style: normal;
    font-size: 12.5px;
  }
</style>
