<!-- The left page of a driver's progress: whom and where, what all of it adds up to, records. -->
<script lang="ts">
  import { goto } from '$app/navigation';
  import { page } from '$app/state';
  import type { DriverSeason } from '$lib/api/client';
  import { changed } from '$lib/places/season/address';
  import { shortDay } from '$lib/quantities/dates.svelte';
  import { figure, lapTime, signed, unitOf } from '$lib/quantities/units';
  import { present } from '$lib/session/present.svelte';
  import { texts } from '$lib/words';

  let { season }: { season: DriverSeason | undefined } = $props();

  const t = texts.season;
  const time = unitOf('time', 'metric');
  const drives = $derived(present.me?.role === 'driver');
  const sentence = $derived.by(() => {
    const change = season?.change;
    if (!season || !change) return '';
    const name = season.driver.name;
    const ends = [change.in_lap_low_s, change.in_lap_high_s];
    if (!change.clear)
      return t.changeLevel(name, signed(change.in_lap_s, time), signed(ends[0], time), signed(ends[1], time));
    const sizes = ends.map(Math.abs).sort((a, b) => a - b);
    const say = change.in_lap_s < 0 ? t.changeQuicker : t.changeSlower;
    return say(name, figure(Math.abs(change.in_lap_s), time), figure(sizes[0], time), figure(sizes[1], time));
  });
  const by = $derived(
    season?.change
      ? season.anchored.length
        ? t.changeBy(season.anchored.join(', '))
        : t.changeByOthers(season.change.by)
      : '',
  );
  const trims = $derived(season?.trims ?? []);
  const nameOf = (trim: DriverSeason['trims'][number]): string =>
    [trim.car ?? t.noCar, trim.tyres, trim.grip === 'dry' ? '' : trim.grip].filter(Boolean).join(', ');
  const byLap = (one: DriverSeason['records'][number]): string => {
    if (one.by_s === null) return t.recordFirst;
    const seconds = figure(one.by_s, time, 3);
    if (one.by_u_s === null) return t.recordUnsure(seconds);
    return (one.level ? t.recordLevel : t.recordBy)(seconds, figure(one.by_u_s, time, 3));
  };
  const choose = (change: Record<string, string | null>): void => void goto(changed(page.url, change));
</script>

{#if season}
  {#if !drives}
    <label class="pick"
      >{t.driver}
      <select
        class="select"
        value={String(season.driver.id)}
        onchange={(event) =>
          choose({ driver: event.currentTarget.value, layout: null, cue: null, cues: null })}
      >
        {#each season.drivers as one (one.id)}<option value={String(one.id)}>{one.name}</option>{/each}
      </select></label
    >
  {/if}
  {#if season.layouts.length > 1}
    <label class="pick"
      >{t.layout}
      <select
        class="select"
        value={String(season.layout ?? '')}
        onchange={(event) => choose({ layout: event.currentTarget.value, cue: null })}
      >
        {#each season.layouts as one (one.id)}<option value={String(one.id)}>{one.name}</option>{/each}
      </select></label
    >
  {/if}
  <p class="muted totals">
    {t.totals(
      season.totals.days,
      season.totals.runs,
      season.totals.laps,
      season.totals.hours === null ? null : season.totals.hours.toFixed(1),
    )}
  </p>
  {#if sentence}
    <p class="change">{sentence}</p>
    <p class="muted small">{by}</p>
  {:else if !drives && season.runs.length > 1}
    <p class="muted small">{t.changeNone}</p>
  {/if}
  {#if season.records.length}
    <h2>{t.records}</h2>
    {#each trims as trim (trim.id)}
      {@const own = season.records.filter((one) => one.trim === trim.id)}
      {#if own.length}
        <h3>{nameOf(trim)}</h3>
        <ol>
          {#each [...own].reverse() as one, i (one.run)}
            <li>
              <a href="/compare?run={one.run}">{shortDay(one.day)}</a>
              <span class="figure" class:best-own={i === 0}>{lapTime(one.best_s, 3)}</span>
              <span class="muted small">{byLap(one)}</span>
            </li>
          {/each}
        </ol>
      {/if}
    {/each}
  {/if}
{/if}

<style>
  .pick {
    display: grid;
    gap: 3px;
    font-size: 13px;
    margin-bottom: 8px;
  }
  .totals {
    font-size: 13px;
    margin: 4px 0 10px;
  }
  .change {
    font-size: 15.5px;
    line-height: 1.35;
    overflow-wrap: anywhere;
  }
  .small {
    font-size: 12.5px;
  }
  h2 {
    font-size: 14.5px;
    font-weight: 640;
    margin: 18px 0 2px;
  }
  h3 {
    font-size: 12.5px;
    color: var(--muted);
    font-weight: 560;
    margin: 8px 0 2px;
  }
  ol {
    display: grid;
    gap: 2px;
  }
  li {
    display: grid;
    grid-template-columns: 58px 84px 1fr;
    gap: 8px;
    align-items: baseline;
    font-size: 13.5px;
    border-top: 1px solid var(--rule);
    padding: 3px 0;
  }
</style>
