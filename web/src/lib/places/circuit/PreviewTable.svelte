<!-- What a drawing does to the day: bests and sectors of each driver, before and after, and what would count. -->
<script lang="ts">
  import type { CircuitPreview, FindingChange } from '$lib/api/client';
  import { driverColour } from '$lib/draw/colours';
  import { mode } from '$lib/draw/mode.svelte';
  import { lapTime } from '$lib/quantities/units';
  import { texts } from '$lib/words';

  interface Props {
    preview: CircuitPreview;
    stale: boolean;
    findings: { against: string; changes: FindingChange[] } | null;
    findingsStale: boolean;
  }
  let { preview, stale, findings, findingsStale }: Props = $props();

  const t = texts.circuit;
  const changed = $derived(preview.summary !== '');
  const drivers = $derived(
    [...preview.drivers].sort((a, b) => (a.after.best_s ?? Infinity) - (b.after.best_s ?? Infinity)),
  );
  const sectors = $derived(Math.max(0, ...preview.drivers.map((row) => row.after.sectors_s.length)));
  /** fastest of all in each sector, to the hundredth that is shown */
  const best = $derived(
    Array.from({ length: sectors }, (_, i) =>
      Math.min(...preview.drivers.map((row) => row.after.sectors_s[i] ?? Infinity)),
    ),
  );
  const level = (a: number | undefined, b: number | undefined) =>
    a !== undefined && b !== undefined && a.toFixed(2) === b.toFixed(2);
  const moved = $derived(
    (findings?.changes ?? []).filter(
      (change) =>
        change.before_s === null ||
        change.after_s === null ||
        Math.abs(change.before_s - change.after_s) >= 0.01,
    ),
  );
  const loss = (value: number | null) => (value === null ? '–' : `${value.toFixed(2)} s`);
</script>

<section class:stale aria-label={t.preview}>
  <h2>{t.preview}</h2>
  <p class="summary" role="status">{changed ? preview.summary : t.nothingYet}</p>
  {#if preview.unknown}<p class="muted">{t.unknown(preview.unknown)}</p>{/if}
  {#if drivers.length}
    <div class="scroll">
      <table>
        <thead>
          <tr>
            <th scope="col">{t.driver}</th>
            <th scope="col" class="number">{t.best}</th>
            {#each best.keys() as i (i)}<th scope="col" class="number">{t.sector(i + 1)}</th>{/each}
            <th scope="col" class="number">{t.theoretical}</th>
            <th scope="col" class="number">{t.counts}</th>
          </tr>
        </thead>
        <tbody>
          {#each drivers as row (row.driver.id)}
            <tr>
              <th scope="row"
                ><span class="dot" style:background={driverColour(row.driver.colour, mode.dark)}></span>{row
                  .driver.name}</th
              >
              <td class="number figure">
                {#if changed && !level(row.before.best_s ?? undefined, row.after.best_s ?? undefined)}
                  <span class="was">{lapTime(row.before.best_s)}</span>
                {/if}
                {lapTime(row.after.best_s)}
              </td>
              {#each best as fastest, i (i)}
                {@const own = row.after.sectors_s[i]}
                <td class="number figure">
                  {#if changed && row.before.sectors_s.length === sectors && !level(row.before.sectors_s[i], own)}
                    <span class="was">{row.before.sectors_s[i]?.toFixed(2)}</span>
                  {/if}
                  <span class:best-all={drivers.length > 1 && level(own, fastest)}
                    >{own?.toFixed(2) ?? '–'}</span
                  >
                </td>
              {/each}
              <td class="number figure">
                {#if changed && !level(row.before.theoretical_s ?? undefined, row.after.theoretical_s ?? undefined)}
                  <span class="was">{lapTime(row.before.theoretical_s)}</span>
                {/if}
                {lapTime(row.after.theoretical_s)}
              </td>
              <td class="number figure">
                {#if row.before.counting !== row.after.counting}<span class="was">{row.before.counting}</span
                  >{/if}
                {row.after.counting}
              </td>
            </tr>
            {#if row.begins.length || row.ceases.length}
              <tr class="more">
                <td colspan={4 + sectors}>
                  {#if row.begins.length}{t.begins(row.begins.join(', '))}{/if}
                  {#if row.ceases.length}<span class="loss">{t.ceases(row.ceases.join(', '))}</span>{/if}
                </td>
              </tr>
            {/if}
          {/each}
        </tbody>
      </table>
    </div>
  {/if}
  {#if changed}
    <div class="findings" class:stale={findingsStale}>
      <h3>
        {t.findings}
        {#if findings?.against}<span class="muted against">{t.against(findings.against)}</span>{/if}
      </h3>
      {#if !findings || findingsStale}
        <p class="muted" role="status">{t.findingsOld}</p>
      {:else if !moved.length}
        <p class="muted">{t.findingsSame}</p>
      {/if}
      <ul>
        {#each moved.slice(0, 8) as change (`${change.driver.id} ${change.corner} ${change.passage}`)}
          <li>
            <span>{change.driver.name}, {change.corner || change.passage}</span>
            <span class="figure"
              >{#if change.before_s === null}<em>{t.newFinding}</em>{:else}<span class="was"
                  >{loss(change.before_s)}</span
                >{/if}
              {#if change.after_s === null}<em>{t.goneFinding}</em>{:else}{loss(change.after_s)}{/if}</span
            >
          </li>
        {/each}
      </ul>
    </div>
  {/if}
</section>

<style>
  section {
    padding: 10px 0 20px;
    transition: opacity 120ms;
  }
  .stale {
    opacity: 0.6;
  }
  h2,
  h3 {
    font-weight: 640;
    font-size: 14px;
  }
  h3 {
    font-size: 13px;
    margin-top: 12px;
  }
  .summary {
    margin-bottom: 6px;
  }
  .scroll {
    overflow-x: auto;
  }
  table {
    border-collapse: collapse;
    font-size: 13px;
    min-width: 70%;
  }
  th {
    text-align: left;
    font-weight: 520;
    padding: 3px 18px 3px 0;
    white-space: nowrap;
  }
  thead th {
    color: var(--muted);
    font-size: 12px;
    border-bottom: 1px solid var(--rule);
    max-width: 130px;
    overflow: hidden;
    text-overflow: ellipsis;
  }
  tbody th {
    max-width: 200px;
    overflow: hidden;
    text-overflow: ellipsis;
  }
  td {
    padding: 3px 18px 3px 0;
    white-space: nowrap;
  }
  tr + tr > * {
    border-top: 1px solid var(--rule);
  }
  tr.more > * {
    border-top: 0;
    font-size: 12px;
    color: var(--muted);
    white-space: normal;
  }
  th.number,
  td.number {
    text-align: right;
  }
  .was {
    color: var(--muted);
    text-decoration: line-through;
    margin-right: 6px;
  }
  .dot {
    display: inline-block;
    width: 8px;
    height: 8px;
    border-radius: 4px;
    margin-right: 7px;
  }
  .findings ul {
    display: grid;
    grid-template-columns: repeat(auto-fill, minmax(250px, 1fr));
    gap: 2px 24px;
    font-size: 13px;
  }
  .findings li {
    display: flex;
    justify-content: space-between;
    border-bottom: 1px solid var(--rule);
  }
  .against {
    font-weight: 440;
    font-size: 12px;
    margin-left: 8px;
  }
  em {
    color: var(--muted);
  }
</style>
