<!-- The sector sheet: laps are rows, sectors or passages columns; each driver's bests above the own laps. -->
<script lang="ts">
  import { goto } from '$app/navigation';
  import type { DayLaps, SheetLap } from '$lib/api/client';
  import { alike, bestOfAll, cell, deskAddress, type Group, type Show } from '$lib/laps/sheet';
  import { driverColour } from '$lib/draw/colours';
  import { mode } from '$lib/draw/mode.svelte';
  import { lapTime, signed, unitOf } from '$lib/quantities/units';
  import DotStrip from '$lib/places/laps/DotStrip.svelte';
  import { texts } from '$lib/words';

  interface Props {
    day: DayLaps;
    shown: Group[];
    show: Show;
    chosen: ReadonlySet<string>;
    present: string | null;
    onchoose: (keys: string[], on: boolean) => void;
    onrow: (key: string, event: MouseEvent) => void;
  }
  let { day, shown, show, chosen, present, onchoose, onrow }: Props = $props();

  const t = texts.laps;
  /** with more columns there is no room for the spread beside the best */
  const MOST_SPREADS = 6;
  const seconds = unitOf('time', 'metric');
  const bests = $derived(day.columns.map((_, k) => bestOfAll(day, k)));
  const fastest = $derived(
    day.drivers.reduce<number | null>(
      (best, row) => (row.best_s !== null && (best === null || row.best_s < best) ? row.best_s : best),
      null,
    ),
  );
  const several = $derived(day.drivers.filter((row) => row.best_s !== null).length > 1);
  /** whose lap is best of all in a column */
  const bestLap = $derived(
    day.columns.map(
      (_, k) => day.drivers.find((row) => alike(row.parts[k]?.best_s, bests[k]))?.parts[k]?.best_lap,
    ),
  );

  function write(value: number | null): string {
    if (value === null) return '–';
    return show === 'times' ? value.toFixed(2) : signed(value, seconds);
  }

  function writeLap(value: number | null): string {
    return show === 'times' ? lapTime(value) : value === null ? '–' : signed(value, seconds);
  }

  /** Of all runs of the day together, by column. */
  const spreads = (parts: { spread_s: number | null }[]): string =>
    parts.map((part) => part.spread_s?.toFixed(2) ?? '–').join(', ');

  const why = (lap: SheetLap) =>
    lap.set_aside ? (t.aside[lap.set_aside] ?? lap.set_aside) : lap.said ? t.counts : '';

  function open(lap: SheetLap, k: number): void {
    const reference = bestLap[k];
    const part = day.columns[k];
    if (!reference || !part || lap.time_s === null) return;
    // The best one itself is shown with everybody else's best there.
    const others = day.drivers.flatMap((row) => row.parts[k]?.best_lap ?? []);
    void goto(deskAddress(lap.key === reference ? others : [lap.key], reference, part));
  }
  const wide = $derived(5 + day.columns.length);
</script>

<table>
  <thead>
    <tr>
      <th scope="col" class="check"></th>
      <th scope="col" class="lap">{t.lap}</th>
      <th scope="col" class="number">{t.time}</th>
      {#each day.columns as column, k (k)}<th scope="col" class="number" title={column.name}>{column.name}</th
        >{/each}
      <th scope="col"></th>
    </tr>
    <tr class="dots">
      <th></th>
      <th></th>
      <th></th>
      {#each day.columns as column, k (column.from_m)}<td><DotStrip {day} {shown} column={k} /></td>{/each}
      <th></th>
    </tr>
    {#if day.composite && several}
      <tr class="summary">
        <td></td>
        <td class="lap">{t.composite}</td>
        <td class="number figure">{lapTime(day.composite.time_s)}</td>
        {#each day.composite.drivers as id, k (k)}
          <td class="number muted" title={bests[k]?.toFixed(2)}
            >{day.drivers.find((own) => own.driver.id === id)?.driver.name ?? ''}</td
          >
        {/each}
        <td></td>
      </tr>
    {/if}
    {#if day.against}
      <tr class="summary">
        <td></td>
        <td class="lap" title="{day.against.driver}, {day.against.day}"
          >{t.againstLap(day.against.driver, day.against.number)}</td
        >
        <td class="number figure">{lapTime(day.against.time_s)}</td>
        {#each day.against.parts_s as value, k (k)}<td class="number figure">{value?.toFixed(2) ?? '–'}</td
          >{/each}
        <td></td>
      </tr>
    {/if}
  </thead>
  {#each shown as group (group.driver.driver.id)}
    {@const row = group.driver}
    {@const own = group.runs.flatMap((run) => run.laps.map((lap) => lap.key))}
    <tbody>
      <tr class="driver">
        <td class="check">
          <input
            type="checkbox"
            aria-label={t.chooseAll(row.driver.name)}
            checked={own.length > 0 && own.every((key) => chosen.has(key))}
            onchange={(e) => onchoose(own, e.currentTarget.checked)}
          />
        </td>
        <th scope="rowgroup" class="lap" title={row.driver.name}
          ><span class="dot" style:background={driverColour(row.driver.colour, mode.dark)}></span>{row.driver
            .name}{#if row.conditions !== 'dry'}&nbsp;<span class="muted"
              >{texts.compare.conditions[row.conditions]}</span
            >{/if}</th
        >
        <td class="number figure">
          <span class:best-all={several && row.level} class:best-own={!(several && row.level)}
            >{lapTime(row.best_s)}</span
          >
        </td>
        {#each row.parts as part, k (k)}
          <td
            class="number figure"
            title="{t.median} {part.median_s?.toFixed(2) ?? '–'} s ({t.cleanLaps(part.clean)}){part.rank ===
            null
              ? ''
              : `; ${t.rank(part.rank)}`}"
          >
            <span class:best-all={part.level} class:best-own={!part.level && part.best_s !== null}
              >{part.best_s?.toFixed(2) ?? '–'}</span
            >
          </td>
        {/each}
        <td class="said"></td>
      </tr>
      {#if row.theoretical_s !== null}
        <tr class="summary">
          <td></td>
          <td colspan={wide - 1}>
            {#if row.theoretical_s !== null}
              <span>{t.theoretical} <span class="figure">{lapTime(row.theoretical_s)}</span>,</span>
              <span title={row.judged ? t.judged[row.judged] : undefined}
                >{t.gap(row.gap_s?.toFixed(2) ?? '–')}{row.judged
                  ? ` (${t.judgedShort[row.judged]})`
                  : ''}</span
              >
              {#if row.unbroken_s !== null && !alike(row.unbroken_s, row.best_s)}
                <span>· {t.unbroken} <span class="figure">{lapTime(row.unbroken_s)}</span></span>
              {/if}
              {#if group.runs.length > 1 && day.columns.length <= MOST_SPREADS && row.parts.some((part) => part.spread_s !== null)}
                <span>· {t.spreadOfDay} <span class="figure">{spreads(row.parts)}</span> s</span>
              {/if}
            {/if}
          </td>
        </tr>
      {/if}
      {#each group.runs as run (run.id)}
        {#if run.laps.length}
          <tr class="run">
            <td></td>
            <td colspan="2" class="muted">{t.run(run.number, run.clock)}</td>
            {#each run.spreads as spread, k (k)}
              <td class="number muted"
                >{#if spread !== null && day.columns.length <= MOST_SPREADS}<small
                    >{t.spread(spread.toFixed(2))}</small
                  >{/if}</td
              >
            {/each}
            <td></td>
          </tr>
        {/if}
        {#each run.laps as lap (lap.key)}
          <tr
            data-lap={lap.key}
            class:aside={lap.set_aside !== null}
            class:chosen={chosen.has(lap.key)}
            class:present={present === lap.key}
            onclick={(event) => onrow(lap.key, event)}
          >
            <td class="check">
              <input
                type="checkbox"
                aria-label={t.choose(lap.number, row.driver.name)}
                checked={chosen.has(lap.key)}
                onclick={(event) => event.stopPropagation()}
                onchange={(e) => onchoose([lap.key], e.currentTarget.checked)}
              />
            </td>
            <td class="lap figure">{lap.number}</td>
            <td class="number figure">
              <span class:best-own={lap.key === row.best_lap}
                >{writeLap(cell(lap.time_s, show, row.best_s, fastest, day.against?.time_s))}</span
              >
            </td>
            {#each lap.parts_s as value, k (k)}
              {@const best = !lap.set_aside && alike(value, row.parts[k]?.best_s)}
              <td
                class="number figure"
                class:held={lap.held.includes(k)}
                title={lap.held.includes(k) ? t.held : undefined}
              >
                {#if value === null}<span class="muted">–</span>
                {:else}
                  <button
                    type="button"
                    tabindex="-1"
                    class:best-all={best && several && alike(value, bests[k])}
                    class:best-own={best && !(several && alike(value, bests[k]))}
                    title={t.open(day.columns[k]?.name ?? '')}
                    onclick={(event) => {
                      event.stopPropagation();
                      open(lap, k);
                    }}
                    >{write(
                      cell(value, show, row.parts[k]?.best_s, bests[k] ?? null, day.against?.parts_s[k]),
                    )}</button
                  >
                {/if}
              </td>
            {/each}
            <td class="said muted" title={lap.note ?? undefined}
              >{why(lap)}{lap.note ? ` · ${lap.note}` : ''}</td
            >
          </tr>
        {/each}
      {/each}
    </tbody>
  {/each}
</table>

<style>
  .dots td {
    padding: 0 0 4px 6px;
    vertical-align: bottom;
  }
  table {
    border-collapse: separate;
    border-spacing: 0;
    font-size: 13px;
    width: 100%;
  }
  thead tr:first-child th {
    position: sticky;
    top: calc(-1 * var(--page-top));
    z-index: 1;
  }
  thead th {
    background: var(--paper);
    text-align: left;
    color: var(--muted);
    font-weight: 520;
    font-size: 12px;
    border-bottom: 1px solid var(--rule);
    padding: 4px 10px 4px 0;
    max-width: 120px;
    overflow: hidden;
    text-overflow: ellipsis;
    white-space: nowrap;
  }
  td,
  tbody th {
    padding: 2px 10px 2px 0;
    white-space: nowrap;
    border-bottom: 1px solid color-mix(in srgb, var(--rule) 55%, transparent);
  }
  th.number,
  td.number {
    text-align: right;
  }
  .check {
    width: 24px;
  }
  .check input {
    accent-color: var(--accent);
  }
  .lap {
    max-width: 150px;
    overflow: hidden;
    text-overflow: ellipsis;
  }
  td.lap {
    padding-left: 16px;
  }
  tr.driver > * {
    padding-top: 12px;
    border-bottom: 1px solid var(--rule);
  }
  tr.driver th {
    text-align: left;
    font-weight: 640;
  }
  .dot {
    display: inline-block;
    width: 8px;
    height: 8px;
    border-radius: 4px;
    margin-right: 8px;
  }
  small {
    font-size: 10px;
    margin-left: 2px;
  }
  .said {
    white-space: normal;
    font-size: 12px;
    min-width: 90px;
  }
  tr.summary td {
    font-size: 12px;
    color: var(--muted);
    white-space: normal;
    padding-left: 16px;
  }
  tr.run td {
    font-size: 12px;
  }
  tr.aside .figure {
    color: var(--muted);
  }
  tr.chosen > * {
    background: var(--stretch);
  }
  tr.present > * {
    box-shadow:
      inset 0 2px 0 -1px var(--accent),
      inset 0 -2px 0 -1px var(--accent);
  }
  td.held {
    background: repeating-linear-gradient(135deg, transparent 0 3px, var(--band) 3px 4px);
  }
  td button {
    cursor: pointer;
    padding: 0 2px;
    font: inherit;
  }
  td button:hover {
    color: var(--accent);
  }
</style>
