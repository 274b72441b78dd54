<!-- The way on for a log that could not be placed: on which circuit it was driven, and it is tried again at once. -->
<script lang="ts">
  import type { HandIn, HandInList } from '$lib/api/client';
  import { texts } from '$lib/words';

  interface Props {
    item: HandIn;
    circuits: NonNullable<HandInList['choices']>['circuits'];
    place: (item: HandIn, layout: number | null, turned?: boolean) => void;
    correct: (item: HandIn) => void;
  }
  let { item, circuits, place, correct }: Props = $props();
  const t = texts.handIn.unplaced;
  let chosen = $state('');
</script>

<div class="way">
  {#if circuits.length}
    <label
      ><span>{t.circuit}</span>
      <select class="select" aria-label="{t.circuit} {item.file_name}" bind:value={chosen}>
        <option value="">{t.choose}</option>
        {#each circuits as circuit (circuit.id)}<option value={String(circuit.id)}>{circuit.name}</option
          >{/each}
      </select></label
    >
    <button type="button" class="do" disabled={!chosen} onclick={() => place(item, Number(chosen))}
      >{t.place}</button
    >
    <button
      type="button"
      class="may"
      disabled={!chosen}
      title={t.turnedWhy}
      onclick={() => place(item, Number(chosen), true)}>{t.turned}</button
    >
  {:else}
    <span class="muted">{t.noCircuit}</span>
  {/if}
  <button type="button" class="may" onclick={() => correct(item)}>{t.channels}</button>
  <button type="button" class="may" onclick={() => place(item, null)}>{t.again}</button>
</div>

<style>
  .way {
    display: flex;
    flex-wrap: wrap;
    gap: 6px 12px;
    align-items: center;
    font-size: 13px;
    padding-top: 4px;
  }
  label {
    display: flex;
    gap: 8px;
    align-items: center;
    white-space: nowrap;
  }
  .select {
    padding-block: 2px;
    font-size: 13px;
    max-width: 280px;
  }
</style>
