<!-- All laps of a column as dots, a line for each driver: quick ones at the left. -->
<script lang="ts">
  import type { DayLaps } from '$lib/api/client';
  import { driverColour } from '$lib/draw/colours';
  import { mode } from '$lib/draw/mode.svelte';
  import { dots, type Group } from '$lib/laps/sheet';
  import { texts } from '$lib/words';

  interface Props {
    day: DayLaps;
    shown: Group[];
    column: number;
  }
  let { day, shown, column }: Props = $props();
  const LINE = 8;
  let width = $state(0);
  const found = $derived(dots(day, shown, column));
</script>

<div bind:clientWidth={width}>
  <svg
    {width}
    height={found.length * LINE + 4}
    role="img"
    aria-label={texts.laps.dots(day.columns[column]?.name ?? '')}
  >
    {#each found as line, i (line.driver)}
      {#each line.places as place (place.key)}
        <circle
          class:held={place.held}
          cx={4 + place.at * Math.max(width - 8, 1)}
          cy={i * LINE + 6}
          r="2.6"
          style:--own={driverColour(line.colour, mode.dark)}
          ><title>{line.name}: {place.value.toFixed(2)} s</title></circle
        >
      {/each}
    {/each}
  </svg>
</div>

<style>
  div {
    min-width: 60px;
  }
  svg {
    display: block;
  }
  circle {
    fill: var(--own);
    fill-opacity: 0.75;
  }
  circle.held {
    fill: none;
    stroke: var(--own);
  }
</style>
