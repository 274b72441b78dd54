<!-- A day on paper: all sheets at once, the summary for the school, an empty sheet for notes. -->
<script lang="ts">
  import { api, done, type DayCourse } from '$lib/api/client';
  import { follow, note } from '$lib/parts/notes.svelte';
  import { present } from '$lib/session/present.svelte';
  import { texts } from '$lib/words';

  let { course }: { course: DayCourse } = $props();

  const t = texts.season;
  let names = $state(false);
  const units = $derived(`units=${present.units}`);
  const day = $derived(course.event?.id ?? 0);
  let going = $state(false);

  /** Written in the background, then fetched; the note at the foot of the page says how far it is. */
  async function sheets(event_id: number): Promise<void> {
    going = true;
    try {
      const params = { path: { event_id } };
      const begun = api.POST('/api/season/days/{event_id}/sheets', {
        params,
        body: { units: present.units },
      });
      const job = await follow(await done(begun), t.printName);
      if (job?.state === 'done') location.assign(`/api/jobs/${job.id}/file`);
    } catch (error) {
      note(error instanceof Error ? error.message : String(error));
    } finally {
      going = false;
    }
  }
</script>

<h2>{t.print}</h2>
<div class="papers">
  {#if course.sheets}
    <button type="button" class="do" disabled={going} onclick={() => void sheets(day)}
      >{course.sheets > 1 ? t.printSheets(course.sheets) : t.printSheet}</button
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
