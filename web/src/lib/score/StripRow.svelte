<!-- A lap of the line-up: its name and time in the left margin, its loss strip, its gap to the reference. -->
<script lang="ts">
  import type { DeskLap } from '$lib/api/client';
  import type { Desk } from '$lib/desk/desk.svelte';
  import { present } from '$lib/session/present.svelte';
  import { texts } from '$lib/words';
  import { lapTime, signed, unitOf } from '$lib/quantities/units';
  import { driverColour } from '$lib/draw/colours';
  import { AXIS, NAMES, VALUES } from '$lib/score/measures';
  import { mode } from '$lib/draw/mode.svelte';
  import Strip from '$lib/score/Strip.svelte';

  import type { Scale } from '$lib/draw/scale';

  interface Props {
    desk: Desk;
    lap: DeskLap;
    full: number;
    scale: Scale;
    moved: string | undefined;
    /** whether lap numbers are needed to tell laps apart */
    numbered: boolean;
  }
  let { desk, lap, full, scale, moved, numbered }: Props = $props();

  const t = texts.compare;
  const isReference = $derived(lap.key === desk.lineUp?.reference);
  const delta = $derived(unitOf('time', present.units));
</script>

<button
  type="button"
  class="strip"
  class:chosen={lap.key === desk.chosen}
  aria-pressed={lap.key === desk.chosen}
  title={t.lapOf(lap.driver.name, lap.number)}
  onclick={() => (desk.chosen = lap.key)}
>
  <span class="name" style:width="{NAMES + AXIS - 10}px">
    <span class="who" style:color={isReference ? 'var(--muted)' : driverColour(lap.driver.colour, mode.dark)}
      ><span class="called">{lap.driver.name}</span>{#if numbered}<span class="nth figure">{lap.number}</span
        >{/if}</span
    >
    <span class="figure" class:best-all={lap.best_of_all} class:best-own={lap.best_of_run && !lap.best_of_all}
      >{lapTime(lap.time_s)}</span
    >
  </span>
  <span class="paint">
    <Strip
      rate={desk.curve(lap.key, 'sure_rate')}
      {scale}
      transform={moved}
      {full}
      height={18}
      reference={isReference}
    />
  </span>
  <span class="gap figure" style:width="{VALUES - 8}px"
    >{isReference ? t.reference : signed(lap.delta_s, delta)}</span
  >
</button>

<style>
  .strip {
    display: flex;
    align-items: center;
    width: 100%;
    height: 22px;
    text-align: left;
    cursor: pointer;
    position: relative;
  }
  .strip .name {
    display: flex;
    justify-content: space-between;
    gap: 6px;
    margin-right: 10px;
    flex: none;
    min-width: 0;
  }
  /* A long name gives way, never the lap's number. */
  .who {
    display: flex;
    align-items: baseline;
    min-width: 0;
    white-space: nowrap;
    font-weight: 560;
    font-stretch: 90%;
  }
  .called {
    overflow: hidden;
    text-overflow: ellipsis;
  }
  .nth {
    flex: none;
    margin-left: 4px;
    font-weight: 400;
  }
  .strip.chosen .paint {
    outline: 1.5px solid var(--ink);
    outline-offset: 0;
  }
  .strip.chosen .who {
    font-weight: 700;
  }
  .gap {
    margin-left: 8px;
    text-align: left;
    white-space: nowrap;
  }
</style>
