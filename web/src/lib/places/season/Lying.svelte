<!-- Where the school's time lies: by kind of corner, and the dearest passages. -->
<script lang="ts">
  import type { SchoolSeason } from '$lib/api/client';
  import { figure, unitOf } from '$lib/quantities/units';
  import Part from '$lib/places/season/Part.svelte';
  import { texts } from '$lib/words';

  let { season }: { season: SchoolSeason } = $props();

  const t = texts.season;
  const SHOWN = 5;
  const time = unitOf('time', 'metric');
  const most = $derived(Math.max(...season.kinds.map((one) => one.loss_s), 0.05));
  const width = (seconds: number): string => `${Math.max((seconds / most) * 100, 0)}%`;
</script>

<Part title={t.lying}>
  {#if season.kinds.length}
    <p class="muted">{t.lyingLead}</p>
    <ul>
      {#each season.kinds as one (one.name)}
        <li>
          <span>{t.kind[one.name]} <span class="muted">{t.passages(one.passages)}</span></span>
          <span class="bar"><i style:width={width(one.loss_s)}></i></span>
          <span class="figure"
            >{figure(one.loss_s, time)}
            <span class="muted">{figure(one.low_s, time)} … {figure(one.high_s, time)}</span></span
          >
        </li>
      {/each}
    </ul>
    <ul class="small">
      {#each season.passages.slice(0, SHOWN) as one (one.name)}
        <li>
          <span>{one.corners} <span class="muted">{one.kind ? t.kind[one.kind] : ''}</span></span>
          <span class="figure"
            >{figure(one.loss_s, time)}
            <span class="muted">{figure(one.low_s, time)} … {figure(one.high_s, time)}</span></span
          >
        </li>
      {/each}
    </ul>
  {:else}
    <p class="muted">{t.lyingNone}</p>
  {/if}
</Part>

<style>
  p {
    font-size: 13px;
  }
  ul {
    margin-top: 6px;
  }
  li {
    display: grid;
    grid-template-columns: 150px minmax(0, 1fr) 138px;
    gap: 10px;
    align-items: center;
    border-top: 1px solid var(--rule);
    padding: 4px 0;
    font-size: 14px;
  }
  .bar {
    display: block;
    height: 12px;
    background: var(--strip);
  }
  .bar i {
    display: block;
    height: 100%;
    background: var(--loss);
  }
  .figure {
    text-align: right;
  }
  .small li {
    grid-template-columns: minmax(0, 1fr) 138px;
    font-size: 13px;
  }
</style>
