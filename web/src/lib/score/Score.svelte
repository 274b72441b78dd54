<!-- The score: corners as numbered bars, a loss strip for each lap, then staves; one cursor and one stretch through all. -->
<script lang="ts">
  import { shortName } from '$lib/desk/corners';
  import type { Desk } from '$lib/desk/desk.svelte';
  import { present } from '$lib/session/present.svelte';
  import { texts } from '$lib/words';
  import { figure, unitOf } from '$lib/quantities/units';
  import { Gestures } from '$lib/draw/gestures';
  import { moved, scaleOf } from '$lib/draw/scale';
  import { pieces } from '$lib/desk/stretch';
  import Canvas from '$lib/draw/Canvas.svelte';
  import { AXIS, NAMES, ROW, VALUES } from '$lib/score/measures';
  import { mode } from '$lib/draw/mode.svelte';
  import StaveRow from '$lib/score/StaveRow.svelte';
  import StripRow from '$lib/score/StripRow.svelte';
  import { ticks } from '$lib/draw/trace';

  interface Props {
    desk: Desk;
    full: number;
  }
  let { desk, full }: Props = $props();

  const t = texts.compare;
  // A view that has not moved for so long has come to rest.
  const REST_MS = 110;

  let width = $state(0);
  let height = $state(0);
  let plain = $state<HTMLElement>();

  const inner = $derived(Math.max(10, width - NAMES - VALUES - AXIS));
  /** what is seen now, and what the pictures were drawn for */
  const view = $derived(scaleOf(desk.zoom, inner));
  const scale = $derived(scaleOf(desk.drawn, inner));
  const shift = $derived(moved(scale, view));
  const distance = $derived(unitOf('distance', present.units));
  const bars = $derived(desk.lineUp?.layout.corners.map((corner) => corner.apex_m) ?? []);
  const secondLaps = $derived.by(() => {
    const seen: number[] = [];
    return desk.laps
      .filter((lap) => {
        if (seen.includes(lap.driver.id)) return true;
        seen.push(lap.driver.id);
        return false;
      })
      .map((lap) => lap.key);
  });

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
    metres: () => 1 / view.perMetre,
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

  function drawPart(ctx: CanvasRenderingContext2D, w: number, h: number): void {
    const { part } = desk;
    if (!part) return;
    for (const [a, b] of pieces(part, desk.length)) {
      const left = Math.max(0, view.x(a));
      const right = Math.min(w, view.x(b));
      if (right <= left) continue;
      ctx.fillStyle = mode.inks.stretch;
      // Not over the strips: there colour is the message.
      const top = desk.laps.length * ROW + 4;
      ctx.fillRect(left, top, right - left, h - top);
      ctx.fillRect(left, 0, right - left, 1.5);
    }
    ctx.fillStyle = mode.inks.accent;
    const edge = view.x(part.from);
    if (edge >= 0 && edge <= w) ctx.fillRect(edge - 0.5, 0, 1, h);
  }

  function drawCursor(ctx: CanvasRenderingContext2D, w: number, h: number): void {
    if (desk.cursor === null) return;
    const x = view.x(desk.cursor);
    if (x < -1 || x > w + 1) return;
    ctx.fillStyle = mode.inks.accent;
    ctx.fillRect(Math.round(x) - 0.75, 0, 1.5, h);
  }

  /** Round places for the distance axis, in the person's unit. */
  const marks = $derived(
    ticks(view.from * distance.factor, view.to * distance.factor, Math.max(2, Math.floor(inner / 90))),
  );
  const splits = $derived(desk.lineUp ? [0, ...desk.lineUp.layout.splits_m, desk.length] : []);
</script>

<div class="score" bind:clientWidth={width}>
  <div class="ruler" style:padding-left="{NAMES + AXIS}px" style:padding-right="{VALUES}px">
    <div class="bars">
      {#each desk.passages as passage (passage.name)}
        {@const corners = desk.lineUp?.layout.corners.filter((c) => passage.corners.includes(c.name)) ?? []}
        {#each corners as corner (corner.name)}
          {@const x = view.x(corner.apex_m)}
          {#if x >= -2 && x <= inner + 2}
            <button
              type="button"
              class="corner"
              class:chosen={desk.part?.passage === passage.name}
              style:left="{x}px"
              title={t.passage(passage.name.slice(1), passage.corners.join(' '))}
              onclick={() => desk.choosePassage(passage)}>{shortName(corner.name)}</button
            >
          {/if}
        {/each}
      {/each}
    </div>
  </div>

  <div class="rows" bind:clientHeight={height}>
    <div class="strips">
      {#each desk.laps as lap (lap.key)}
        <StripRow {desk} {lap} {full} {scale} moved={shift} numbered={secondLaps.length > 0} />
      {/each}
    </div>

    {#each desk.staves as role (role)}
      <StaveRow {desk} {role} {scale} {bars} moved={shift} {secondLaps} />
    {/each}

    <!-- svelte-ignore a11y_no_noninteractive_tabindex, a11y_no_noninteractive_element_interactions -->
    <div
      bind:this={plain}
      class="plain"
      class:panning
      style:left="{NAMES + AXIS}px"
      style:width="{inner}px"
      style:top="{desk.laps.length * ROW}px"
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
    <div class="over" style:left="{NAMES + AXIS}px">
      <Canvas width={inner} {height} draw={drawPart} />
    </div>
    <div class="over" style:left="{NAMES + AXIS}px">
      <Canvas width={inner} {height} draw={drawCursor} />
    </div>
  </div>

  <div class="foot" style:padding-left="{NAMES + AXIS}px" style:padding-right="{VALUES}px">
    <div class="axis">
      {#each marks as mark (mark)}
        {@const x = view.x(mark / distance.factor)}
        {#if x > 6 && x < inner - 6}<span class="metre figure muted" style:left="{x}px">{mark}</span>{/if}
      {/each}
    </div>
    <div class="sectors">
      {#each splits.slice(0, -1) as split, i (i)}
        {@const left = Math.max(0, view.x(split))}
        {@const right = Math.min(inner, view.x(splits[i + 1] ?? 0))}
        {#if right - left > 4}
          <span class="sector" style:left="{left}px" style:width="{right - left}px">
            {right - left > 70 ? t.sector(i + 1) : i + 1}
          </span>
        {/if}
      {/each}
      {#if desk.cursor !== null && view.x(desk.cursor) >= 0 && view.x(desk.cursor) <= inner}
        <span class="here figure" style:left="{Math.min(Math.max(view.x(desk.cursor), 28), inner - 28)}px"
          >{figure(desk.cursor, distance)} {distance.label}</span
        >
      {/if}
    </div>
  </div>
</div>

<style>
  .score {
    position: relative;
    user-select: none;
  }
  .ruler {
    position: sticky;
    top: 0;
    z-index: 3;
    background: var(--paper);
  }
  .bars {
    position: relative;
    height: 24px;
  }
  .corner {
    position: absolute;
    top: 1px;
    min-width: 22px;
    max-width: 96px;
    height: 22px;
    padding: 0 3px;
    overflow: hidden;
    text-overflow: ellipsis;
    white-space: nowrap;
    transform: translateX(-50%);
    font-weight: 620;
    font-size: 12px;
    border-radius: 4px;
    cursor: pointer;
  }
  .corner:hover {
    background: var(--strip);
  }
  .corner.chosen {
    background: var(--accent);
    color: var(--on-accent);
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
  .foot {
    position: sticky;
    bottom: 0;
    z-index: 3;
    background: var(--paper);
    margin-top: 4px;
  }
  .axis {
    position: relative;
    height: 16px;
    border-top: 1px solid var(--rule);
    font-size: 11px;
  }
  .axis .metre {
    position: absolute;
    transform: translateX(-50%);
  }
  .sectors {
    position: relative;
    height: 24px;
  }
  .sector {
    position: absolute;
    top: 3px;
    text-align: center;
    font-size: 11px;
    color: var(--muted);
    border-left: 1px solid var(--muted);
    height: 16px;
  }
  .here {
    position: absolute;
    top: 2px;
    transform: translateX(-50%);
    padding: 1px 6px;
    border-radius: 3px;
    background: var(--accent);
    color: var(--on-accent);
    white-space: nowrap;
  }
</style>
