<!-- The score: corners as numbered bars, a loss strip for each lap, then staves; one cursor and one stretch through all. -->
<script lang="ts">
  import { needsNumber } from '$lib/desk/called';
  import { partsOf, type Measure } from '$lib/desk/order';
  import type { Desk } from '$lib/desk/desk.svelte';
  import { present } from '$lib/session/present.svelte';
  import { texts } from '$lib/words';
  import { figure, unitOf } from '$lib/quantities/units';
  import { Gestures } from '$lib/draw/gestures';
  import { moved, scaleOf } from '$lib/draw/scale';
  import { pieces } from '$lib/desk/stretch';
  import { measuresFor } from '$lib/score/measures';
  import Axis from '$lib/score/Axis.svelte';
  import Overview from '$lib/score/Overview.svelte';
  import Ruler from '$lib/score/Ruler.svelte';
  import StaveRow from '$lib/score/StaveRow.svelte';
  import StripRow from '$lib/score/StripRow.svelte';

  interface Props {
    desk: Desk;
    full: number;
    onmeasure: (key: string) => void;
    onoff: (key: string) => void;
    /** a note is to be told */
    onnote: (id: number) => void;
  }
  let { desk, full, onmeasure, onoff, onnote }: Props = $props();

  const t = texts.compare;
  // A view that has not moved for so long has come to rest.
  const REST_MS = 60;

  let width = $state(0);
  let height = $state(0);
  let plain = $state<HTMLElement>();

  const parts = $derived(partsOf(desk.lineUp?.layout.splits_m.length ?? 0));
  const m = $derived(measuresFor(width, parts.length));
  const inner = $derived(Math.max(10, width - m.names - m.values - m.axis));
  /** of which part the strips tell the loss at their ends */
  let by = $state<Measure>('lap');
  const numbered = $derived(needsNumber(desk.laps));
  /** what is seen now, and what the pictures were drawn for */
  const view = $derived(scaleOf(desk.zoom, inner, desk.along));
  const scale = $derived(scaleOf(desk.drawn, inner, desk.along));
  const shift = $derived(moved(scale, view));
  const distance = $derived(unitOf('distance', present.units));
  const bars = $derived(desk.lineUp?.layout.corners.map((corner) => corner.apex_m) ?? []);
  // Drawing twelve laps anew takes longer than a frame: while the view moves, the pictures are moved; once it rests,
  // they are drawn.
  $effect(() => {
    const { zoom } = desk;
    if (zoom === desk.drawn) return;
    const later = setTimeout(() => (desk.drawn = zoom), REST_MS);
    return () => clearTimeout(later);
  });

  let panning = $state(false);
  const gestures = new Gestures({
    placeAt: (clientX) => {
      const box = (plain as HTMLElement).getBoundingClientRect();
      return Math.min(Math.max(view.place(clientX - box.left), 0), desk.length);
    },
    metres: () => (desk.zoom[1] - desk.zoom[0]) / inner,
    cursor: (place) => (desk.cursor = place),
    mark: (from, to) => desk.drag(from, to),
    rest: () => desk.rest(),
    pan: (metres) => desk.pan(metres),
    zoom: (place, factor) => desk.zoomAt(place, factor),
  });

  function key(event: KeyboardEvent): void {
    if (event.key !== 'ArrowLeft' && event.key !== 'ArrowRight') return;
    event.preventDefault();
    desk.moveCursor((event.key === 'ArrowLeft' ? -1 : 1) * (event.shiftKey ? 10 : 1));
  }

  /** Listens with the right to keep the page from zooming. */
  function zoomWheel(node: HTMLElement): { destroy: () => void } {
    node.addEventListener('wheel', gestures.wheel, { passive: false });
    return { destroy: () => node.removeEventListener('wheel', gestures.wheel) };
  }

  /** The stretch in pixels, in one piece or two; moved by the compositor alone, so that a drag costs little. */
  const marked = $derived(
    desk.part
      ? pieces(desk.part, desk.length).flatMap(([a, b]) => {
          const left = Math.max(0, view.x(a));
          const right = Math.min(inner, view.x(b));
          return right > left ? [{ left, wide: right - left }] : [];
        })
      : [],
  );
  const lines = $derived(
    [
      { place: desk.part ? desk.part.from : null, kind: 'edge' },
      { place: desk.until, kind: 'until' },
      { place: desk.cursor, kind: 'cursor' },
    ].flatMap(({ place, kind }) => {
      const x = place === null ? -1 : view.x(place);
      return x >= 0 && x <= inner ? [{ x: Math.round(x), kind }] : [];
    }),
  );

  const splits = $derived(desk.lineUp ? [0, ...desk.lineUp.layout.splits_m, desk.length] : []);
</script>

<div class="score" bind:clientWidth={width}>
  {#if desk.zoomed}<Overview {desk} {full} left={m.names + m.axis} width={inner} />{/if}
  <Ruler {desk} {view} measures={m} {inner} {parts} bind:by {onnote} />

  <div class="rows" bind:clientHeight={height}>
    <div class="strips">
      {#each desk.laps as lap (lap.key)}
        <StripRow
          {desk}
          {lap}
          {full}
          {scale}
          moved={shift}
          measures={m}
          {numbered}
          {by}
          {parts}
          {onmeasure}
          {onoff}
          {onnote}
        />
      {/each}
    </div>

    {#each desk.staves as stave (stave)}
      <StaveRow {desk} {stave} {scale} {bars} moved={shift} measures={m} />
    {/each}

    <!-- svelte-ignore a11y_no_noninteractive_tabindex, a11y_no_noninteractive_element_interactions -->
    <div
      bind:this={plain}
      class="plain"
      class:panning
      style:left="{m.names + m.axis}px"
      style:width="{inner}px"
      style:top="{desk.laps.length * m.row}px"
      role="application"
      tabindex="0"
      aria-label="{t.score}. {desk.cursor === null
        ? ''
        : t.cursorAt(`${figure(desk.cursor, distance)} ${distance.label}`)}"
      onpointerdown={(event) => {
        gestures.down(event);
        panning = gestures.panning;
      }}
      onpointermove={gestures.move}
      onpointerup={(event) => {
        gestures.up(event);
        panning = false;
      }}
      onpointercancel={() => {
        gestures.cancel();
        panning = false;
      }}
      ondblclick={() => {
        desk.whole();
        desk.part = null;
      }}
      onkeydown={key}
      use:zoomWheel
    ></div>
    <div class="over" style:left="{m.names + m.axis}px" style:width="{inner}px" style:height="{height}px">
      {#each marked as piece, i (i)}
        <div class="top" style:transform="translateX({piece.left}px) scaleX({piece.wide})"></div>
        <!-- Not over the strips: there colour is the message. -->
        <div
          class="stretch"
          style:top="{desk.laps.length * m.row + 4}px"
          style:transform="translateX({piece.left}px) scaleX({piece.wide})"
        ></div>
      {/each}
      {#each lines as line (line.kind)}
        <div class="line {line.kind}" style:transform="translateX({line.x}px)"></div>
      {/each}
    </div>
  </div>

  <Axis {desk} {view} measures={m} {inner} {splits} />
</div>

<style>
  .score {
    position: relative;
    user-select: none;
  }
  .rows {
    position: relative;
  }
  .strips {
    padding-bottom: 4px;
  }
  .plain {
    position: absolute;
    bottom: 0;
    z-index: 2;
    cursor: crosshair;
    touch-action: pan-y;
  }
  .plain.panning {
    cursor: grabbing;
  }
  .over {
    position: absolute;
    top: 0;
    pointer-events: none;
  }
  .over {
    overflow: hidden;
  }
  .top,
  .stretch {
    position: absolute;
    left: 0;
    width: 1px;
    transform-origin: 0 0;
    background: var(--stretch);
    will-change: transform;
  }
  .top {
    top: 0;
    height: 1.5px;
  }
  .stretch {
    bottom: 0;
  }
  .line {
    position: absolute;
    top: 0;
    bottom: 0;
    left: -0.75px;
    width: 1.5px;
    background: var(--accent);
    will-change: transform;
  }
  .line.edge {
    width: 1px;
  }
  .line.until {
    background: repeating-linear-gradient(var(--accent) 0 3px, transparent 3px 6px);
  }
</style>
