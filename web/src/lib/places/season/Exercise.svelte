<!-- Whether something that some drivers did from a day on shows in their laps. -->
<script lang="ts">
  import { goto } from '$app/navigation';
  import { page } from '$app/state';
  import type { SchoolSeason } from '$lib/api/client';
  import { changed } from '$lib/places/season/address';
  import { shortDay } from '$lib/quantities/dates.svelte';
  import { figure, signed, unitOf } from '$lib/quantities/units';
  import { texts } from '$lib/words';

  interface Props {
    season: SchoolSeason;
    since: string | null;
    who: string | null;
  }
  let { season, since, who }: Props = $props();

  const t = texts.season;
  const time = unitOf('time', 'metric');
  const days = $derived([...new Set(season.days.map((one) => one.day))].slice(1));
  let from = $derived(since ?? days.at(-1) ?? '');
  let chosen = $derived((who ?? '').split(',').filter(Boolean).map(Number));
  const sentence = $derived.by(() => {
    const found = season.tried;
    if (!since || !who) return '';
    if (!found) return season.tried_why ?? '';
    const ends = [found.in_lap_low_s, found.in_lap_high_s];
    if (!found.clear)
      return t.triedLevel(signed(found.in_lap_s, time), signed(ends[0], time), signed(ends[1], time));
    const sizes = ends.map(Math.abs).sort((a, b) => a - b);
    const say = found.in_lap_s < 0 ? t.triedQuicker : t.triedSlower;
    return say(figure(Math.abs(found.in_lap_s), time), figure(sizes[0], time), figure(sizes[1], time));
  });

  function toggle(driver: number, on: boolean): void {
    chosen = on ? [...chosen, driver] : chosen.filter((one) => one !== driver);
  }
</script>

{#if days.length}
  <form
    onsubmit={(event) => {
      event.preventDefault();
      void goto(changed(page.url, { since: from, with: chosen.join(',') }));
    }}
  >
    <h2>{t.tried}</h2>
    <p class="muted">{t.triedLead}</p>
    <label
      >{t.triedSince}
      <select class="select" bind:value={from}>
        {#each days as one (one)}<option value={one}>{shortDay(one)}</option>{/each}
      </select></label
    >
    <fieldset>
      <legend class="muted">{t.triedWho}</legend>
      {#each season.drivers.filter((one) => !one.driver.reference_only) as one (one.driver.id)}
        <label class="one"
          ><input
            type="checkbox"
            checked={chosen.includes(one.driver.id)}
            onchange={(event) => toggle(one.driver.id, event.currentTarget.checked)}
          />{one.driver.name}</label
        >
      {/each}
    </fieldset>
    <p class="buttons">
      <button type="submit" class="may" disabled={!chosen.length}>{t.triedAsk}</button>
      {#if who}<a class="may" href={changed(page.url, { since: null, with: null })}>{t.triedOff}</a>{/if}
    </p>
    <p class="answer" aria-live="polite">{sentence}</p>
  </form>
{/if}

<style>
  form {
    display: grid;
    gap: 8px;
    margin-top: 10px;
    font-size: 13.5px;
  }
  h2 {
    font-size: 14.5px;
    font-weight: 640;
  }
  p {
    font-size: 13px;
  }
  label {
    display: grid;
    gap: 3px;
  }
  fieldset {
    display: grid;
    gap: 2px;
    max-height: 220px;
    overflow-y: auto;
  }
  .one {
    display: flex;
    gap: 8px;
    align-items: center;
    min-height: 26px;
  }
  .buttons {
    display: flex;
    gap: 8px;
  }
  .answer {
    font-size: 15px;
  }
</style>
