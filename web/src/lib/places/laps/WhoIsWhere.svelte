<!-- One picture for the briefing: drivers by parts of the lap, how much each usually gives away to the best one there. -->
<script lang="ts">
  import { goto } from '$app/navigation';
  import type { DayLaps } from '$lib/api/client';
  import { deskAddress, whereTimeIs, type By, type Where } from '$lib/laps/sheet';
  import { driverColour, LOSS, lossColour } from '$lib/draw/colours';
  import { mode } from '$lib/draw/mode.svelte';
  import { texts } from '$lib/words';

  interface Props {
    day: DayLaps;
    by: By;
    driver: number | null;
    /** column by which the drivers are sorted; null for what can be won in all */
    sorted: number | null;
    onsort: (column: number | null) => void;
  }
  let { day, by, driver, sorted, onsort }: Props = $props();

  const t = texts.laps;
  const rows = $derived(
    whereTimeIs(day, by)
      .filter((row) => driver === null || row.driver.driver.id === driver)
      .sort((a, b) => value(b) - value(a)),
  );
  const most = $derived(Math.max(0.05, ...rows.flatMap((row) => row.lost.map((lost) => lost ?? 0))));
  const colours = $derived(LOSS[mode.dark ? 'dark' : 'light']);

  function value(row: Where): number {
    return sorted === null ? row.total : (row.lost[sorted] ?? -1);
  }

  function open(row: Where, k: number): void {
    const part = day.columns[k];
    const own = row.driver.parts[k]?.best_lap ?? row.driver.best_lap;
    const best = day.drivers.find((item) => item.parts[k]?.rank === 1)?.parts[k]?.best_lap;
    if (!part || !own || !best) return;
    const others = day.drivers.flatMap((item) => item.parts[k]?.best_lap ?? []);
    void goto(deskAddress(own === best ? others : [own], best, part));
  }
  /** full colour is no ground for text: half of it is the most */
  const shade = (lost: number) => lossColour(lost, 2.2 * most, colours);
</script>

<p class="help muted">{by === 'median' ? t.whereMedian : t.whereBest}</p>
<div class="scroll">
  <table>
    <thead>
      <tr>
        <th scope="col">{t.driver}</th>
        {#each day.columns as column, k (k)}
          <th scope="col" class="number" aria-sort={sorted === k ? 'descending' : 'none'}>
            <button
              type="button"
              title={t.sortBy(column.name)}
              onclick={() => onsort(sorted === k ? null : k)}>{column.name}{sorted === k ? ' ↓' : ''}</button
            >
          </th>
        {/each}
        <th scope="col" class="number" aria-sort={sorted === null ? 'descending' : 'none'}>
          <button type="button" onclick={() => onsort(null)}>{t.toBeWon}{sorted === null ? ' ↓' : ''}</button>
        </th>
        <th scope="col">{t.mostOfIt}</th>
      </tr>
    </thead>
    <tbody>
      {#each rows as row (row.driver.driver.id)}
        <tr>
          <th scope="row" title={row.driver.driver.name}
            ><span class="dot" style:background={driverColour(row.driver.driver.colour, mode.dark)}
            ></span>{row.driver.driver.name}{#if row.driver.conditions !== 'dry'}&nbsp;<span class="muted"
                >{texts.compare.conditions[row.driver.conditions]}</span
              >{/if}</th
          >
          {#each row.lost as lost, k (k)}
            <td class="number figure" style:background={lost === null ? undefined : shade(lost)}>
              {#if lost === null}–{:else}
                <button
                  type="button"
                  class:best-all={row.driver.parts[k]?.rank === 1}
                  title={t.open(day.columns[k]?.name ?? '')}
                  onclick={() => open(row, k)}>{lost.toFixed(2)}</button
                >
              {/if}
            </td>
          {/each}
          <td class="number figure total">{row.total.toFixed(2)}</td>
          <td class="most">{row.most.map((k) => day.columns[k]?.name).join('; ')}</td>
        </tr>
      {/each}
    </tbody>
  </table>
</div>

<style>
  .help {
    font-size: 13px;
    margin-bottom: 8px;
    max-width: 640px;
  }
  .scroll {
    overflow-x: auto;
  }
  table {
    border-collapse: separate;
    border-spacing: 2px;
    font-size: 13px;
    min-width: 60%;
  }
  thead th {
    color: var(--muted);
    font-weight: 520;
    font-size: 12px;
    text-align: left;
    padding: 2px 8px;
    max-width: 110px;
  }
  thead button {
    cursor: pointer;
    max-width: 100%;
    overflow: hidden;
    text-overflow: ellipsis;
    white-space: nowrap;
  }
  tbody th {
    text-align: left;
    font-weight: 620;
    padding: 6px 12px 6px 0;
    white-space: nowrap;
    max-width: 180px;
    overflow: hidden;
    text-overflow: ellipsis;
  }
  th.number,
  td.number {
    text-align: right;
  }
  td.number {
    padding: 0;
    min-width: 62px;
    border-radius: 2px;
  }
  td.number button {
    width: 100%;
    padding: 6px 8px;
    text-align: right;
    cursor: pointer;
    font: inherit;
  }
  td.total {
    font-weight: 700;
    padding: 6px 8px;
  }
  .most {
    color: var(--muted);
    padding-left: 10px;
    font-size: 12px;
  }
  .dot {
    display: inline-block;
    width: 8px;
    height: 8px;
    border-radius: 4px;
    margin-right: 8px;
  }
</style>
