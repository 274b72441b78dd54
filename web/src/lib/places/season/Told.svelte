<!-- What was told apart: days, or cars, each with its interval. -->
<script lang="ts">
  import type { Effect } from '$lib/api/client';
  import Part from '$lib/places/season/Part.svelte';
  import Whisker from '$lib/places/season/Whisker.svelte';
  import { signed, unitOf } from '$lib/quantities/units';

  interface Row {
    name: string;
    more: string;
    href: string | null;
    effect: Effect | null;
    /** what stands where nothing can be told */
    without: string;
  }
  let { title, lead, rows }: { title: string; lead: string; rows: Row[] } = $props();

  const time = unitOf('time', 'metric');
  const most = $derived(
    Math.max(
      ...rows.map((row) =>
        Math.max(Math.abs(row.effect?.in_lap_low_s ?? 0), Math.abs(row.effect?.in_lap_high_s ?? 0)),
      ),
      0.1,
    ),
  );
</script>

<Part {title} {lead}>
  <ul>
    {#each rows as row, i (i)}
      <li>
        <span class="name">
          {#if row.href}<a href={row.href}>{row.name}</a>{:else}{row.name}{/if}
          <span class="muted">{row.more}</span>
        </span>
        {#if row.effect}
          <Whisker
            value={row.effect.in_lap_s}
            low={row.effect.in_lap_low_s}
            high={row.effect.in_lap_high_s}
            clear={row.effect.clear}
            {most}
            width={110}
            what={row.name}
          />
          <span class="figure" class:strong={row.effect.clear}>{signed(row.effect.in_lap_s, time)}</span>
        {:else}
          <span class="muted without">{row.without}</span>
        {/if}
      </li>
    {/each}
  </ul>
</Part>

<style>
  ul {
    margin-top: 6px;
    max-height: 420px;
    overflow-y: auto;
  }
  li {
    display: grid;
    grid-template-columns: minmax(0, 1fr) 110px 56px;
    gap: 8px;
    align-items: center;
    border-top: 1px solid var(--rule);
    padding: 4px 0;
    font-size: 13.5px;
  }
  .name {
    overflow: hidden;
    text-overflow: ellipsis;
    white-space: nowrap;
  }
  .figure {
    text-align: right;
  }
  .without {
    grid-column: 2 / -1;
    font-size: 12.5px;
    text-align: right;
  }
  .strong {
    font-weight: 700;
  }
</style>
