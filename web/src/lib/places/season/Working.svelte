<!-- Which cues work, by what they ask for. -->
<script lang="ts">
  import type { SchoolSeason } from '$lib/api/client';
  import Part from '$lib/places/season/Part.svelte';
  import { texts } from '$lib/words';

  let { season }: { season: SchoolSeason } = $props();

  const t = texts.season;
  const c = t.worksColumns;
  const percent = (share: number | null): string => (share === null ? '' : (share * 100).toFixed(0));
</script>

<Part title={t.works}>
  {#if season.cues.length}
    <p class="muted">{t.worksLead}</p>
    <div class="wide">
      <table>
        <thead>
          <tr>
            <th scope="col">{c.figure}</th>
            <th scope="col">{c.given}</th>
            <th scope="col">{c.judged}</th>
            <th scope="col">{c.reached}</th>
            <th scope="col">{c.paid}</th>
            <th scope="col">{c.lost}</th>
            <th scope="col">{c.share}</th>
          </tr>
        </thead>
        <tbody>
          {#each season.cues as one (one.figure)}
            <tr>
              <th scope="row">{one.label}</th>
              <td class="figure">{one.given}</td>
              <td class="figure">{one.judged}</td>
              <td class="figure">{one.reached}</td>
              <td class="figure">{one.paid}</td>
              <td class="figure">{one.lost}</td>
              <td class="figure"
                >{#if one.share === null}<span class="muted">{t.tooFew}</span>{:else}{percent(one.share)}
                  <span class="muted">{percent(one.low)}–{percent(one.high)}</span>{/if}</td
              >
            </tr>
          {/each}
        </tbody>
      </table>
    </div>
  {:else}
    <p class="muted">{t.worksNone} <a href="/debrief">{t.noCuesNext}</a></p>
  {/if}
</Part>

<style>
  p {
    font-size: 13px;
  }
  .wide {
    overflow-x: auto;
    margin-top: 6px;
  }
  table {
    border-collapse: collapse;
    font-size: 13.5px;
    width: 100%;
  }
  th,
  td {
    padding: 3px 10px 3px 0;
    text-align: right;
    font-weight: 500;
    white-space: nowrap;
  }
  th:first-child {
    text-align: left;
    white-space: normal;
  }
  thead th {
    font-size: 12px;
    color: var(--muted);
  }
  tbody tr > * {
    border-top: 1px solid var(--rule);
  }
</style>
