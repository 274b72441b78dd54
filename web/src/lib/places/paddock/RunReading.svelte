<!-- What costs a run most: the strip of its best lap and a phrase, which opens the desk on just that. -->
<script lang="ts">
  import type { DayReading } from '$lib/api/client';
  import { NOWHERE, writePlace } from '$lib/desk/place';
  import DayStrip from '$lib/places/paddock/DayStrip.svelte';
  import { say } from '$lib/quantities/said';
  import { present } from '$lib/session/present.svelte';
  import { texts } from '$lib/words';

  interface Props {
    day: DayReading | undefined;
    run: number;
    full: number;
    /** whether the run has a lap to judge by */
    timed: boolean;
    width: number;
  }
  let { day, run, full, timed, width }: Props = $props();

  const t = texts.paddock;
  const own = $derived(day?.runs.find((item) => item.run === run));
  const nothing = $derived(
    !timed || day?.state === 'none'
      ? t.nothingToShow
      : day?.state === 'failed'
        ? t.readingFailed
        : day?.state === 'coming' || !day
          ? t.readingComes
          : t.nothingToShow,
  );
  const address = $derived.by(() => {
    if (!own) return '';
    const laps = [...new Set([own.reference, own.lap])];
    const { reference } = own;
    return `/compare?${writePlace({ ...NOWHERE, laps, reference, chosen: own.lap, passage: own.passage })}`;
  });
</script>

<div class="reading" style:width="{width}px">
  {#if own}
    <DayStrip rates={own.strip} {full} {width} />
    {#if own.says.length}
      <a href={address} title={own.against === 'own best' ? t.againstOwnBest : t.openThere}
        >{say(own.says, present.units)}</a
      >
    {:else}<span class="muted">{t.nothingWorth}</span>{/if}
  {:else}<span class="muted">{nothing}</span>{/if}
</div>

<style>
  .reading {
    font-size: 13px;
    line-height: 1.25;
  }
  .reading a,
  .reading span {
    display: -webkit-box;
    -webkit-box-orient: vertical;
    -webkit-line-clamp: 2;
    line-clamp: 2;
    overflow: hidden;
    overflow-wrap: anywhere;
    white-space: normal;
  }
</style>
