<!-- What can be done with the laps that are chosen: over the page rather than in it, so that choosing moves nothing. -->
<script lang="ts" module>
  export const REASONS = ['by_hand', 'traffic', 'mistake', 'track_limits', 'wet', 'warming_up'] as const;
</script>

<script lang="ts">
  import { texts } from '$lib/words';

  export type Reason = (typeof REASONS)[number];
  interface Props {
    count: number;
    may: boolean;
    reason: Reason;
    /** words of the person, beside the reason */
    said: string;
    onjudge: (counts: boolean | null) => void;
    oncompare: () => void;
    onclear: () => void;
    /** where one lap is chosen: its traffic, and measuring the sheet against it */
    ontraffic: (() => void) | null;
    onmeasure: (() => void) | null;
  }
  let {
    count,
    may,
    reason = $bindable(),
    said = $bindable(),
    onjudge,
    oncompare,
    onclear,
    ontraffic,
    onmeasure,
  }: Props = $props();
  const t = texts.laps;
</script>

<div class="hand" role="toolbar" aria-label={t.chosen(count)}>
  <span role="status">{t.chosen(count)}</span>
  {#if may}
    <select class="select" aria-label={t.reason} bind:value={reason}>
      {#each REASONS as own (own)}<option value={own}>{t.aside[own]}</option>{/each}
    </select>
    <input class="input" aria-label={t.word} placeholder={t.word} maxlength="400" bind:value={said} />
    <button type="button" class="may" onclick={() => onjudge(false)}>{t.setAside}</button>
    <button type="button" class="may" onclick={() => onjudge(true)}>{t.letCount}</button>
    <button type="button" class="may" onclick={() => onjudge(null)}>{t.leave}</button>
  {/if}
  {#if may && ontraffic}
    <button type="button" class="may" onclick={ontraffic}>{texts.traffic.open}</button>
  {/if}
  {#if onmeasure}
    <button type="button" class="may" onclick={onmeasure}>{t.measureHere}</button>
  {/if}
  <button type="button" class="do" onclick={oncompare}>{t.compare}</button>
  <button type="button" class="may" onclick={onclear}>{t.clear}</button>
</div>

<style>
  .hand {
    position: fixed;
    left: 366px;
    right: 18px;
    margin: 0 auto;
    width: fit-content;
    bottom: 14px;
    z-index: 5;
    display: flex;
    flex-wrap: wrap;
    gap: 8px;
    align-items: center;
    font-size: 13px;
    background: var(--sheet);
    border: 1px solid var(--rule);
    border-radius: 8px;
    box-shadow: 0 6px 24px rgb(0 0 0 / 18%);
    padding: 8px 12px;
  }
  .may,
  .do {
    min-height: 28px;
    padding: 0.1rem 0.6rem;
    font-size: 13px;
  }
  .select {
    width: auto;
    min-height: 28px;
    height: 28px;
    padding: 0 24px 0 8px;
    font-size: 13px;
  }
  .input {
    width: 150px;
    min-height: 28px;
    padding: 2px 8px;
    font-size: 12px;
  }
  @media (max-width: 900px) {
    .hand {
      left: 12px;
      right: 12px;
    }
  }
</style>
