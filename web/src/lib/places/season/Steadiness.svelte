<!-- How steady a driver has become in each passage. -->
<script lang="ts">
  import type { DriverSeason } from '$lib/api/client';
  import { shortDay } from '$lib/quantities/dates.svelte';
  import { figure, unitOf } from '$lib/quantities/units';
  import Part from '$lib/places/season/Part.svelte';
  import { texts } from '$lib/words';

  let { season }: { season: DriverSeason } = $props();

  const t = texts.season;
  const time = unitOf('time', 'metric');
  const day = (run: number | undefined): string =>
    shortDay(season.runs.find((one) => one.run === run)?.day ?? '');
  const said = (one: DriverSeason['steadiness'][number]): string => t.says[one.says] ?? one.says;
</script>

<Part title={t.steady}>
  {#if season.steadiness.length}
    <p class="muted">{t.steadyLead(day(season.steady_runs[0]), day(season.steady_runs[1]))}</p>
    <div class="wide">
      <table>
        <thead>
          <tr>
            <th scope="col">{t.steadyColumns.passage}</th>
            <th scope="col">{t.steadyColumns.kind}</th>
            <th scope="col">{t.steadyColumns.before}</th>
            <th scope="col">{t.steadyColumns.after}</th>
            <th scope="col">{t.steadyColumns.factor}</th>
            <th scope="col">{t.steadyColumns.says}</th>
          </tr>
        </thead>
        <tbody>
          {#each season.steadiness as one (one.name)}
            <tr>
              <th scope="row">{one.corners}</th>
              <td>{one.kind ? t.kind[one.kind] : ''}</td>
              <td class="figure">{figure(one.before_s, time, 3)}</td>
              <td class="figure">{figure(one.after_s, time, 3)}</td>
              <td class="figure"
                >{one.factor.toFixed(1)}
                <span class="muted">{one.low.toFixed(1)}–{one.high.toFixed(1)}</span></td
              >
              <td class:strong={one.says !== 'level'}>{said(one)}</td>
            </tr>
          {/each}
        </tbody>
      </table>
    </div>
  {:else}
    <p class="muted">{t.steadySame}</p>
  {/if}
</Part>

<style>
  p {
    font-size: 13px;
    margin-bottom: 6px;
  }
  .wide {
    overflow-x: auto;
  }
  table {
    font-size: 13.5px;
    border-collapse: collapse;
  }
  th,
  td {
    padding: 3px 18px 3px 0;
    text-align: right;
    font-weight: 500;
    white-space: nowrap;
  }
  th:first-child,
  td:nth-child(2),
  thead th:nth-child(2),
  td:last-child,
  thead th:last-child {
    text-align: left;
  }
  thead th {
    color: var(--muted);
    font-size: 12.5px;
  }
  tbody tr > * {
    border-top: 1px solid var(--rule);
  }
  .strong {
    font-weight: 640;
  }
</style>
