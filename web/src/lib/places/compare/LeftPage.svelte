<!-- The left page: the map with one lap's loss, and the words and figures of the stretch, or of the whole lap. -->
<script lang="ts">
  import { Minimize2, MessageSquarePlus, Table2, ThumbsUp, ZoomIn } from '@lucide/svelte';
  import { passageCalled } from '$lib/desk/called';
  import type { Desk } from '$lib/desk/desk.svelte';
  import TrackMap from '$lib/map/TrackMap.svelte';
  import type { adviceOf } from '$lib/places/compare/advice.svelte';
  import type { answersOf } from '$lib/places/compare/answers.svelte';
  import LapSheet from '$lib/places/compare/LapSheet.svelte';
  import PassageCard from '$lib/places/compare/PassageCard.svelte';
  import FiguresSheet from '$lib/places/compare/FiguresSheet.svelte';
  import Trouble from '$lib/parts/Trouble.svelte';
  import { say } from '$lib/quantities/said';
  import { figure, unitOf } from '$lib/quantities/units';
  import { present } from '$lib/session/present.svelte';
  import { texts } from '$lib/words';

  interface Props {
    desk: Desk;
    full: number;
    answers: ReturnType<typeof answersOf>;
    advice: ReturnType<typeof adviceOf>;
  }
  let { desk, full, answers, advice }: Props = $props();

  const t = texts.compare;
  const { card, without } = $derived({ card: answers.card, without: answers.without });
  let deep = $state(false);
  let made = $state(false);
  $effect(() => {
    if (deep) made = true;
  });
  const distance = $derived(unitOf('distance', present.units));
  const passage = $derived(desk.passages.find((item) => item.name === desk.part?.passage));
  const corner = $derived(card.data?.corner);
  const where = $derived(
    passage
      ? `${passageCalled(passage)}${corner && passage.corners.length > 1 ? `, ${corner}` : ''}`
      : t.fromTo(
          figure(desk.part?.from ?? 0, distance),
          figure(desk.part?.to ?? 0, distance),
          distance.label,
        ),
  );
  const SCALES = [0.05, 0.1, 0.2, 0.4, 0.8].map((hundred) => hundred / 100);
  const said = (rate: number): string => t.scale.full((rate * 100).toFixed(2));
</script>

{#if desk.lineUp}
  <TrackMap
    layout={desk.lineUp.layout}
    rate={desk.chosen && desk.chosen !== desk.lineUp.reference
      ? desk.curve(desk.chosen, 'sure_rate')
      : undefined}
    {full}
    part={desk.settled}
    cursor={desk.cursor}
    notes={desk.placed.map((note) => note.at_m ?? 0)}
    width={316}
    height={248}
    label={t.map}
    onplace={(s) => (desk.cursor = s)}
  />
{/if}
<p class="legend muted">
  <span>{t.gaining}</span><span class="scale"></span><span>{t.losing}</span>
  <select
    class="select"
    aria-label={t.scale.title}
    title={t.scale.title}
    value={desk.full === null ? '' : String(desk.full)}
    onchange={(event) => (desk.full = event.currentTarget.value ? Number(event.currentTarget.value) : null)}
  >
    <option value="">{t.scale.auto(said(full))}</option>
    {#each SCALES as rate (rate)}<option value={String(rate)}>{said(rate)}</option>{/each}
    {#if desk.full !== null && !SCALES.includes(desk.full)}<option value={String(desk.full)}
        >{said(desk.full)}</option
      >{/if}
  </select>
</p>
{#if desk.part}
  {#if card.error}<Trouble error={card.error} again={() => void card.refetch()} />{/if}
  {#if card.data}
    {#if desk.without && without.error}<Trouble error={without.error} />{/if}
    <PassageCard {desk} card={card.data} won={without.data?.won_s ?? null} />
  {:else if !card.error}
    <p class="muted" role="status">{texts.loading}</p>
  {/if}
  {#if advice.preparing.trouble}<Trouble error={advice.preparing.trouble} />{/if}
  {#each advice.here as cue (cue.id)}
    <p class="asked">
      <span class="muted">{t.advice.already(cue.kind)}</span>
      {cue.text ?? say(cue.says, present.units)}
    </p>
  {/each}
  <div class="acts">
    {#if advice.may}
      <button type="button" class="may" title={t.advice.cueHint} onclick={() => advice.give('cue')}
        ><MessageSquarePlus size={15} />{t.advice.cue}</button
      >
      <button type="button" class="may" title={t.advice.keepHint} onclick={() => advice.give('keep')}
        ><ThumbsUp size={15} />{t.advice.keep}</button
      >
    {/if}
    <button type="button" class="may" onclick={() => (deep = true)}><Table2 size={15} />{t.depth.open}</button
    >
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
{#if made}<FiguresSheet {desk} {where} bind:open={deep} />{/if}

<style>
  .legend {
    display: flex;
    align-items: center;
    gap: 6px;
    font-size: 11px;
    margin: 0 0 10px;
  }
  .legend .select {
    width: auto;
    height: 26px;
    min-height: 26px;
    padding: 0 24px 0 6px;
    font-size: 11px;
  }
  .scale {
    width: 56px;
    height: 7px;
    background: linear-gradient(to right, var(--gain), var(--strip), var(--loss));
  }
  .asked {
    margin-top: 10px;
    font-size: 13px;
    overflow-wrap: anywhere;
  }
  .acts {
    display: flex;
    flex-wrap: wrap;
    gap: 8px;
    margin-top: 12px;
  }
</style>
