<!-- Who improves, over all and by kind of corner. -->
<script lang="ts">
  import type { Effect, SchoolSeason } from '$lib/api/client';
  import { driverColour } from '$lib/draw/colours';
  import { mode } from '$lib/draw/mode.svelte';
  import Whisker from '$lib/places/season/Whisker.svelte';
  import { figure, lapTime, signed, unitOf } from '$lib/quantities/units';
  import Part from '$lib/places/season/Part.svelte';
  import { texts } from '$lib/words';

  let { season }: { season: SchoolSeason } = $props();

  const t = texts.season;
  const KINDS = ['slow', 'ordinary', 'fast', 'linked', 'crest'] as const;
  const time = unitOf('time', 'metric');
  const kinds = $derived(KINDS.filter((kind) => season.drivers.some((one) => one.by_kind[kind])));
  const reach = (effects: (Effect | null | undefined)[]): number =>
    Math.min(
      Math.max(
        ...effects.map((one) =>
          Math.max(Math.abs(one?.in_lap_low_s ?? 0), Math.abs(one?.in_lap_high_s ?? 0)),
        ),
        0.2,
      ),
      4 * Math.max(...effects.map((one) => Math.abs(one?.in_lap_s ?? 0)), 0.2),
    );
  const most = $derived(reach(season.drivers.map((one) => one.change)));
</script>

<Part title={t.improves}>
  <p class="muted">{t.improvesLead}</p>
  <p class="muted">{season.anchored.length ? t.anchored(season.anchored.join(', ')) : t.notAnchored}</p>
  <div class="wide">
    <table>
      <thead>
        <tr>
          <th scope="col">{t.columns.driver}</th>
          <th scope="col">{t.columns.days}</th>
          <th scope="col">{t.columns.best}</th>
          <th scope="col" colspan="2">{t.columns.change}, {t.columns.s}</th>
          {#each kinds as kind (kind)}<th scope="col">{t.kind[kind]}</th>{/each}
        </tr>
      </thead>
      <tbody>
        {#each season.drivers as one (one.driver.id)}
          <tr>
            <th scope="row">
              <a
                href="/debrief/progress?driver={one.driver.id}{season.layout
                  ? `&layout=${season.layout}`
                  : ''}"
                ><i style:background={driverColour(one.driver.colour, mode.dark)}></i>{one.driver.name}</a
              >
            </th>
            <td class="figure">{one.days}</td>
            <td class="figure">{lapTime(one.best_s)}</td>
            {#if one.change}
              <td
                ><Whisker
                  value={one.change.in_lap_s}
                  low={one.change.in_lap_low_s}
                  high={one.change.in_lap_high_s}
                  clear={one.change.clear}
                  {most}
                  what={one.driver.name}
                /></td
              >
              <td class="figure" class:strong={one.change.clear}>{signed(one.change.in_lap_s, time)}</td>
            {:else}
              <td colspan="2" class="muted why"
                >{season.anchored.includes(one.driver.name) ? t.anchor : one.days < 2 ? t.oneDay : '–'}</td
              >
            {/if}
            {#each kinds as kind (kind)}
              {@const each = one.by_kind[kind]}
              <td class="figure">
                {#if each}
                  <span class:strong={each.clear}>{signed(each.in_lap_s, time)}</span>{#if each.clear}<span
                      class="sure">{each.in_lap_s < 0 ? ' ▴' : ' ▾'}</span
                    >{/if}
                  <span class="muted">± {figure((each.in_lap_high_s - each.in_lap_low_s) / 2, time)}</span>
                {:else}–{/if}
              </td>
            {/each}
          </tr>
        {/each}
      </tbody>
    </table>
  </div>
</Part>

<style>
  p {
    font-size: 13px;
    max-width: 760px;
  }
  .wide {
    overflow-x: auto;
    margin: 8px 0 14px;
  }
  table {
    border-collapse: collapse;
    font-size: 14px;
  }
  th,
  td {
    padding: 3px 16px 3px 0;
    text-align: right;
    font-weight: 500;
    white-space: nowrap;
  }
  thead th {
    font-size: 12.5px;
    color: var(--muted);
  }
  th:first-child {
    text-align: left;
    max-width: 240px;
    overflow: hidden;
    text-overflow: ellipsis;
  }
  tbody tr > * {
    border-top: 1px solid var(--rule);
  }
  .strong {
    font-weight: 700;
    color: var(--ink);
  }
  .why {
    font-size: 12.5px;
  }
  .sure {
    font-size: 10px;
  }
  i {
    display: inline-block;
    width: 10px;
    height: 10px;
    border-radius: 5px;
    margin-right: 7px;
  }
</style>
