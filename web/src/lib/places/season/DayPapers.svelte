<!-- A day on paper: all sheets at once, the summary for the school, an empty sheet for notes. -->
<script lang="ts">
  import type { DayCourse } from '$lib/api/client';
  import { present } from '$lib/session/present.svelte';
  import { texts } from '$lib/words';

  let { course }: { course: DayCourse } = $props();

  const t = texts.season;
  let names = $state(false);
  const units = $derived(`units=${present.units}`);
  const day = $derived(course.event?.id ?? 0);
</script>

<h2>{t.print}</h2>
<div class="papers">
  {#if course.sheets}
    <a class="do" href="/api/season/days/{day}/sheets?{units}" download
      >{course.sheets > 1 ? t.printSheets(course.sheets) : t.printSheet}</a
    >
  {:else}
    <p class="muted">{t.printNone} <a href="/debrief?event={day}">{t.noCuesNext}</a></p>
  {/if}
  <a class="may" href="/api/season/days/{day}/summary?{units}{names ? '&names=true' : ''}" download
    >{t.printSummary}</a
  >
  <label><input type="checkbox" bind:checked={names} />{t.printNames}</label>
  {#if course.layout !== null}
    <a class="may" href="/api/layouts/{course.layout}/notes-sheet?{units}" download>{t.printNotes}</a>
  {/if}
</div>

<style>
  h2 {
    font-size: 14.5px;
    font-weight: 640;
    margin-bottom: 6px;
  }
  .papers {
    display: grid;
    gap: 8px;
    justify-items: start;
    font-size: 13.5px;
  }
  label {
    display: flex;
    gap: 8px;
    align-items: center;
    margin: -4px 0 2px 4px;
    font-size: 13px;
  }
</style>
