<!-- The paces of a driver's runs in figures. -->
<script lang="ts">
  import type { SeasonRun } from '$lib/api/client';
  import { shortDay } from '$lib/quantities/dates.svelte';
  import { figure, lapTime, unitOf } from '$lib/quantities/units';
  import { texts } from '$lib/words';

  let { runs, cars }: { runs: SeasonRun[]; cars: Record<number, string> } = $props();

  const t = texts.season;
  const time = unitOf('time', 'metric');
</script>

<div class="wide">
  <table>
    <thead>
      <tr>
        <th scope="col">{texts.debrief.day}</th>
        <th scope="col">{texts.laps.laps ?? t.columns.runs}</th>
        <th scope="col">{t.best}</th>
        <th scope="col">{t.theoretical}</th>
        <th scope="col">{t.median}</th>
        <th scope="col">± s</th>
        <th scope="col">{t.spread}, s</th>
        <th scope="col"></th>
      </tr>
    </thead>
    <tbody>
      {#each runs as run (run.run)}
        <tr class:apart={run.differs.length > 0}>
          <th scope="row"
            ><a href="/compare?run={run.run}"
              >{shortDay(run.day)}{run.started_at ? `, ${run.started_at.slice(11, 16)}` : ''}</a
            ></th
          >
          <td class="figure">{run.laps}</td>
          <td class="figure"
            >{lapTime(run.best_s)}{#if run.best_u_s !== null}
              <span class="muted">± {figure(run.best_u_s, time, 3)}</span>{/if}</td
          >
          <td class="figure">{lapTime(run.theoretical_s)}</td>
          <td class="figure">{lapTime(run.median_s)}</td>
          <td class="figure">{figure(run.median_u_s, time)}</td>
          <td class="figure">{figure(run.spread_s, time)}</td>
          <td class="muted"
            >{cars[run.trim] ?? ''}{run.differs.length
              ? ` (${run.differs.map((one) => t.differs[one]).join(', ')})`
              : ''}</td
          >
        </tr>
      {/each}
    </tbody>
  </table>
</div>

<style>
  .wide {
    overflow-x: auto;
    padding-bottom: 10px;
  }
  table {
    font-size: 13.5px;
    border-collapse: collapse;
  }
  th,
  td {
    padding: 3px 14px 3px 0;
    text-align: right;
    font-weight: 500;
    white-space: nowrap;
  }
  th:first-child,
  td:last-child {
    text-align: left;
  }
  thead th {
    color: var(--muted);
    font-size: 12.5px;
  }
  tr.apart > * {
    border-top: 1px dashed var(--field);
  }
</style>
