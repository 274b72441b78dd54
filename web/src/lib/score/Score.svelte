<!-- The score: corners as numbered bars, a loss strip for each lap, then staves; one cursor and one stretch through all. -->
<script lang="ts">
  import { ArrowDownNarrowWide, ArrowRightLeft } from '@lucide/svelte';
  import { needsNumber } from '$lib/desk/called';
  import { shortName } from '$lib/desk/corners';
  import { partsOf, type Measure } from '$lib/desk/order';
  import type { Layout, Passage } from '$lib/api/client';
  import type { Desk } from '$lib/desk/desk.svelte';
  import { present } from '$lib/session/present.svelte';
  import { texts } from '$lib/words';
  import { figure, signed, unitOf } from '$lib/quantities/units';
  import { valueAt } from '$lib/desk/curves';
  import { Gestures } from '$lib/draw/gestures';
  import { moved, scaleOf } from '$lib/draw/scale';
  import { pieces } from '$lib/desk/stretch';
  import { COLUMN, measuresFor } from '$lib/score/measures';
  import NoteFlag from '$lib/parts/NoteFlag.svelte';
  import Overview from '$lib/score/Overview.svelte';
  import StaveRow from '$lib/score/StaveRow.svelte';
  import StripRow from '$lib/score/StripRow.svelte';
  import { ticks } from '$lib/draw/trace';

  type Corner = Layout['corners'][number];
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

  /** Metres and seconds of the chosen lap between cursor and where one measures from. */
  const measured = $derived.by(() => {
    const { cursor, until, curves, chosenLap } = desk;
    if (cursor === null || until === null || !curves || !chosenLap) return '';
    const time = curves.of(chosenLap.curves, 'time');
    const seconds = time ? valueAt(curves.s, time, cursor) - valueAt(curves.s, time, until) : NaN;
    return t.measured(
      `${signed(cursor - until, distance)} ${distance.label}`,
      signed(seconds, unitOf('time', present.units)),
    );
  });

  /** Round places for the axis: metres in the person's unit, or seconds since the stretch began. */
  const marks = $derived.by(() => {
    const along = desk.along;
    const factor = along?.kind === 'time' ? 1 : distance.factor;
    const [low, high] = [view.from, view.to].map((step) => (along?.told(step) ?? step) * factor);
    return ticks(low ?? 0, high ?? 1, Math.max(2, Math.floor(inner / 90))).map((mark) => ({
      text: along?.kind === 'time' ? seconds(mark) : String(mark),
      x: ((along?.step(mark / factor) ?? mark / factor) - view.from) * view.perStep,
    }));
  });
  const seconds = (value: number): string => String(Number(value.toFixed(2))).replace('-', '−');
  /** What the cursor says of its place. */
  const here = $derived.by(() => {
    const { cursor, along } = desk;
    if (cursor === null) return '';
    const place = `${figure(cursor, distance)} ${distance.label}`;
    const since =
      along?.kind === 'time' ? `${along.told(along.to(cursor)).toFixed(2).replace('-', '−')} s · ` : '';
    return `${since}${place}${measured ? ` · ${measured}` : ''}`;
  });
  const half = $derived(here.length * 3.6 + 8);
  interface Numbered {
    passage: Passage;
    corner: Corner;
    x: number;
    level: number;
  }
  /** Corners on show; numbers that would lie on one another stand on up to three levels. */
  const numbers = $derived.by<Numbered[]>(() => {
    const found: Numbered[] = [];
    const ends = [-Infinity, -Infinity, -Infinity];
    const all = desk.passages.flatMap((passage) =>
      (desk.lineUp?.layout.corners ?? [])
        .filter((corner) => passage.corners.includes(corner.name))
        .map((corner) => ({ passage, corner, x: view.x(corner.apex_m) })),
    );
    for (const one of all.sort((a, b) => a.x - b.x)) {
      if (one.x < -2 || one.x > inner + 2) continue;
      const half = Math.min(Math.max(12.5, 3.6 * shortName(one.corner.name).length + 4), 48);
      // Where there is no room at all, the level that ended first.
      const free = ends.findIndex((end) => one.x - half >= end);
      const level = free >= 0 ? free : ends.indexOf(Math.min(...ends));
      ends[level] = one.x + half;
      found.push({ ...one, level });
    }
    return found;
  });
  const levels = $derived(Math.max(0, ...numbers.map((one) => one.level)));
  /** Notes on places of all laps: those of one stand on its strip. */
  const flags = $derived(
    desk.placed
      .filter((note) => !note.lap)
      .map((note) => ({ note, x: view.x(note.at_m ?? 0) }))
      .filter(({ x }) => x >= 0 && x <= inner),
  );
  const splits = $derived(desk.lineUp ? [0, ...desk.lineUp.layout.splits_m, desk.length] : []);
</script>

<div class="score" bind:clientWidth={width}>
  {#if desk.zoomed}<Overview {desk} {full} left={m.names + m.axis} width={inner} />{/if}
  <div class="ruler" style:padding-left="{m.names + m.axis}px" style:padding-right="{m.values}px">
    <div class="bars" style:height="{25 + 25 * levels}px">
      {#each numbers as { passage, corner, x, level } (corner.name)}
        <button
          type="button"
          class="corner"
          class:chosen={desk.part?.passage === passage.name}
          style:left="{x}px"
          style:top="{level * 25}px"
          title={t.passage(passage.name.slice(1), passage.corners.join(' '))}
          onclick={() => desk.choosePassage(passage)}>{shortName(corner.name)}</button
        >
      {/each}
    </div>
    {#if flags.length}
      <div class="flags">
        {#each flags as { note, x } (note.id)}
          <button
            type="button"
            class="flag"
            style:left="{x}px"
            aria-label={t.notes.at(
              note.text.slice(0, 200),
              `${figure(note.at_m, distance)} ${distance.label}`,
            )}
            title={note.text.slice(0, 300)}
            onclick={() => onnote(note.id)}><NoteFlag /></button
          >
        {/each}
      </div>
    {/if}
    {#if m.columns > 1}
      <div class="heads" style:width="{m.values - 8}px" role="group" aria-label={t.order.by}>
        {#each parts as part (part)}
          <button
            type="button"
            class="head"
            style:width="{COLUMN}px"
            aria-pressed={by === part}
            title={t.order.sortBy(part === 'lap' ? t.order.lap : t.sector(part + 1))}
            onclick={() => {
              by = part;
              desk.sort(part);
            }}>{part === 'lap' ? t.lapTime : t.sectorShort(part + 1)}</button
          >
        {/each}
      </div>
    {:else if m.values > 60}
      <div class="order" style:width="{m.values - 8}px">
        <select
          class="by"
          aria-label={t.order.by}
          title={t.order.by}
          value={String(by)}
          onchange={(event) =>
            (by = event.currentTarget.value === 'lap' ? 'lap' : Number(event.currentTarget.value))}
        >
          <option value="lap">{t.order.lap}</option>
          {#each splits.slice(0, -1).keys() as index (index)}
            <option value={String(index)}>{t.sector(index + 1)}</option>
          {/each}
        </select>
        <button
          type="button"
          class="sort"
          aria-label={t.order.sort}
          title={t.order.sort}
          onclick={() => desk.sort(by)}><ArrowDownNarrowWide size={15} /></button
        >
      </div>
    {/if}
  </div>

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

  <div class="foot" style:padding-left="{m.names + m.axis}px" style:padding-right="{m.values}px">
    <button
      type="button"
      class="swap"
      data-apart
      style:max-width="{m.names + m.axis - 6}px"
      title={t.axis.hint}
      aria-pressed={desk.axis === 'time'}
      onclick={() => desk.swapAxis()}
      ><ArrowRightLeft size={13} />{#if m.names > 80}{desk.axis === 'time'
          ? t.axis.toDistance
          : t.axis.toTime}{/if}</button
    >
    <span class="muted unit" style:width="{m.values - 8}px"
      >{desk.axis === 'time' ? 's' : distance.label}</span
    >
    <div class="axis">
      {#each marks as { text, x } (text)}
        {#if x > 6 && x < inner - 6}<span class="metre figure muted" style:left="{x}px">{text}</span>{/if}
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
        <span class="here figure" style:left="{Math.min(Math.max(view.x(desk.cursor), half), inner - half)}px"
          >{here}</span
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
  /* On a sheet of its own rulers and axes stand at the ends of the score. */
  :global(.taken) .ruler,
  :global(.taken) .foot {
    position: relative !important;
    inset: auto !important;
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
    min-width: 24px;
    max-width: 96px;
    height: 24px;
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
  .order {
    position: absolute;
    right: 0;
    bottom: 0;
    display: flex;
    align-items: center;
  }
  .heads {
    position: absolute;
    right: 0;
    bottom: 0;
    display: flex;
  }
  .head {
    height: 24px;
    font-size: 11px;
    text-align: left;
    color: var(--muted);
    white-space: nowrap;
    cursor: pointer;
  }
  .head:hover,
  .head[aria-pressed='true'] {
    color: var(--ink);
  }
  .head[aria-pressed='true'] {
    font-weight: 640;
  }
  .by {
    width: calc(100% - 24px);
    height: 24px;
    font-size: 11px;
    color: var(--muted);
    background: none;
    border: none;
    padding: 0;
    text-overflow: ellipsis;
    cursor: pointer;
  }
  .sort {
    width: 24px;
    height: 24px;
    display: grid;
    place-items: center;
    border-radius: 4px;
    color: var(--muted);
    cursor: pointer;
  }
  .sort:hover {
    background: var(--strip);
    color: var(--ink);
  }
  .flags {
    position: relative;
    height: 20px;
  }
  .flag {
    position: absolute;
    top: -2px;
    width: 24px;
    height: 24px;
    margin-left: -2px;
    display: grid;
    align-items: center;
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
  .foot {
    position: sticky;
    bottom: 0;
    z-index: 3;
    background: var(--paper);
    margin-top: 4px;
  }
  .swap {
    position: absolute;
    left: 0;
    top: 8px;
    min-width: 24px;
    height: 24px;
    display: flex;
    align-items: center;
    gap: 5px;
    padding: 0 4px;
    overflow: hidden;
    white-space: nowrap;
    font-size: 12px;
    color: var(--muted);
    border-radius: 4px;
    cursor: pointer;
  }
  .swap:hover {
    background: var(--strip);
    color: var(--ink);
  }
  .unit {
    position: absolute;
    right: 0;
    top: 1px;
    font-size: 11px;
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
