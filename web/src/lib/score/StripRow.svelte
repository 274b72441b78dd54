<!-- A lap of the line-up: its name and time in the left margin, its loss strip, its gap to the reference; and what can be
done with it. -->
<script lang="ts">
  import { EyeOff } from '@lucide/svelte';
  import type { DeskLap } from '$lib/api/client';
  import { called, inFull } from '$lib/desk/called';
  import type { Desk } from '$lib/desk/desk.svelte';
  import { lossOf, type Measure } from '$lib/desk/order';
  import { present } from '$lib/session/present.svelte';
  import { texts } from '$lib/words';
  import { lapTime, signed, unitOf } from '$lib/quantities/units';
  import { nameInk } from '$lib/draw/inks';
  import { COLUMN, type Measures } from '$lib/score/measures';
  import { mode } from '$lib/draw/mode.svelte';
  import NoteFlag from '$lib/parts/NoteFlag.svelte';
  import LapMenu from '$lib/score/LapMenu.svelte';
  import Strip from '$lib/score/Strip.svelte';

  import type { Scale } from '$lib/draw/scale';

  interface Props {
    desk: Desk;
    lap: DeskLap;
    full: number;
    scale: Scale;
    moved: string | undefined;
    measures: Measures;
    /** whether lap numbers are needed to tell laps apart */
    numbered: boolean;
    /** of which part the loss is shown at the end */
    by: Measure;
    /** whose losses stand side by side where there is room */
    parts: Measure[];
    onmeasure: (key: string) => void;
    onoff: (key: string) => void;
    onnote: (id: number) => void;
  }
  let { desk, lap, full, scale, moved, measures, numbered, by, parts, onmeasure, onoff, onnote }: Props =
    $props();

  const t = texts.compare;
  const isReference = $derived(lap.key === desk.lineUp?.reference);
  const hidden = $derived(desk.hidden.includes(lap.key));
  const delta = $derived(unitOf('time', present.units));
  const who = $derived(called(lap));
  /** Said as soon as one of the laps was not driven in the dry: laps are compared with their like. */
  const said = $derived(
    lap.conditions && desk.laps.some((one) => one.conditions && one.conditions !== 'dry')
      ? t.conditions[lap.conditions]
      : '',
  );
  const narrow = $derived(measures.names < 80);
  /** Notes on this lap: at their places in it, the others where the strip begins. */
  const notes = $derived(
    hidden
      ? []
      : desk.notes
          .filter((note) => note.lap === lap.key)
          .map((note) => {
            const left = measures.names + measures.axis;
            const x = note.at_m === null ? 0 : scale.x(note.at_m);
            return {
              id: note.id,
              says: note.text.slice(0, 300),
              x: left + x - 2,
              seen: x >= 0 && x <= scale.width,
            };
          })
          .filter((note) => note.seen),
  );
</script>

<div class="row" class:hidden style:height="{measures.row}px">
  <button
    type="button"
    class="strip"
    class:chosen={lap.key === desk.chosen}
    aria-pressed={lap.key === desk.chosen}
    title={inFull(lap)}
    data-strip={lap.key}
    onclick={() => (desk.chosen = lap.key)}
    onkeydown={(event) => {
      if (!event.altKey || (event.key !== 'ArrowUp' && event.key !== 'ArrowDown')) return;
      event.preventDefault();
      desk.move(lap.key, event.key === 'ArrowUp' ? -1 : 1);
    }}
  >
    <span class="name" style:width="{measures.names + measures.axis - 10}px">
      <span class="who" style:color={isReference ? 'var(--muted)' : nameInk(lap, mode.dark)}
        ><span class="called">{who.name}</span>{#if numbered || lap.made}<span
            class="nth"
            class:figure={!lap.made}>{who.nth}</span
          >{/if}{#if said}<span class="said muted">{said}</span>{/if}</span
      >
      {#if !narrow}
        <span
          class="figure"
          class:best-all={lap.best_of_all}
          class:best-own={lap.best_of_run && !lap.best_of_all}>{lapTime(lap.time_s)}</span
        >
      {/if}
    </span>
    <span class="paint">
      {#if hidden}
        <span class="off muted" style:width="{scale.width}px"><EyeOff size={12} /></span>
      {:else}
        <Strip
          rate={desk.drawnCurve(lap.key, 'sure_rate')}
          {scale}
          transform={moved}
          {full}
          height={measures.row - 4}
          reference={isReference}
          held={desk.held[lap.curves] ?? []}
          sectors={by === 'lap' ? null : by}
          splits={desk.lineUp?.layout.splits_m ?? []}
        />
      {/if}
    </span>
    <span class="gap figure" style:width="{measures.values - (narrow ? 4 : 34)}px"
      >{#if isReference}{t.reference}{:else if measures.columns > 1}{#each parts as part (part)}<span
            class="column"
            class:by={part === by}
            style:width="{COLUMN}px">{signed(lossOf(lap, desk.reference, part), delta)}</span
          >{/each}{:else}{signed(lossOf(lap, desk.reference, by), delta)}{/if}</span
    >
  </button>
  {#each notes as note (note.id)}
    <button
      type="button"
      class="flag"
      style:left="{note.x}px"
      aria-label={note.says}
      title={note.says}
      onclick={() => onnote(note.id)}><NoteFlag /></button
    >
  {/each}
  {#if !narrow || lap.key === desk.chosen}
    <span class:onstrip={narrow} style:right={narrow ? `${measures.values}px` : undefined}
      ><LapMenu {desk} {lap} {onmeasure} {onoff} /></span
    >
  {/if}
</div>

<style>
  .said {
    margin-left: 6px;
    font-size: 12px;
    font-weight: 440;
  }
  .row {
    display: flex;
    align-items: center;
    position: relative;
  }
  .flag {
    position: absolute;
    top: -2px;
    width: 24px;
    height: 24px;
    padding-left: 1px;
    display: grid;
    align-items: center;
    cursor: pointer;
  }
  .strip {
    display: flex;
    align-items: center;
    height: 100%;
    text-align: left;
    cursor: pointer;
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
  .nth:not(.figure) {
    font-size: 12px;
    font-stretch: 80%;
  }
  .strip.chosen .paint {
    outline: 1.5px solid var(--ink);
    outline-offset: 0;
  }
  .strip.chosen .who {
    font-weight: 700;
  }
  .hidden .name {
    opacity: 0.6;
  }
  .off {
    display: block;
    height: 18px;
    padding: 3px 4px;
    border-bottom: 1px dashed var(--rule);
  }
  /* Under the thumb, at the end of the chosen strip. */
  .onstrip {
    position: absolute;
    top: 2px;
    background: var(--paper);
    border-radius: 4px;
    opacity: 0.92;
  }
  .column {
    display: inline-block;
    color: var(--muted);
  }
  .column.by {
    color: inherit;
  }
  .gap {
    margin-left: 8px;
    text-align: left;
    white-space: nowrap;
  }
</style>
