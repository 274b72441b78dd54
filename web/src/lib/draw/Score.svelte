<!-- The score: corners as numbered bars, a loss strip for each lap, then staves; one cursor and one stretch through all. -->
<script lang="ts">
  import { ChevronDown, ChevronRight, X } from '@lucide/svelte';
  import type { Desk } from '../desk/desk.svelte';
  import { valueAt } from '../desk/curves';
  import { present } from '../me.svelte';
  import { texts } from '../texts';
  import { figure, lapTime, signed, unitOf, unitOfRole } from '../units';
  import Canvas from './Canvas.svelte';
  import { driverColour } from './colours';
  import { mode } from './mode.svelte';
  import Stave, { type Line } from './Stave.svelte';
  import Strip from './Strip.svelte';

  interface Props {
    desk: Desk;
    full: number;
  }
  let { desk, full }: Props = $props();

  const NAMES = 118;
  const VALUES = 92;
  const AXIS = 44;
  const HEIGHTS: Record<string, number> = { delta: 104, speed: 164 };
  const LOW = 86;
  const ROW = 22;
  const t = texts.compare;

  let width = $state(0);
  let height = $state(0);
  let drag = $state<{ from: number; moved: boolean; pan: boolean; x: number } | null>(null);
  let plain = $state<HTMLElement>();

  const stripWidth = $derived(Math.max(10, width - NAMES - VALUES - AXIS));
  const staveWidth = $derived(stripWidth + AXIS);
  const span = $derived(desk.zoom[1] - desk.zoom[0]);
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
  const shared = $derived(
    desk.laps.some((lap, i) => desk.laps.findIndex((o) => o.driver.id === lap.driver.id) !== i),
  );
  const fastest = $derived(Math.min(...desk.laps.map((lap) => lap.time_s)));

  // Drawing twelve laps anew takes longer than a frame: while the view moves, the pictures are moved; once it rests,
  // they are drawn.
  $effect(() => {
    const { zoom } = desk;
    if (zoom === desk.drawn) return;
    const later = setTimeout(() => (desk.drawn = zoom), 110);
    return () => clearTimeout(later);
  });
  const moved = $derived.by(() => {
    const [from, to] = desk.zoom;
    const [first, last] = desk.drawn;
    if (from === first && to === last) return undefined;
    const scale = (last - first) / (to - from);
    return `translateX(${((first - from) / (to - from)) * stripWidth}px) scaleX(${scale})`;
  });

  const px = (place: number) => ((place - desk.zoom[0]) / span) * stripWidth;
  const nameOf = (key: string) => t.staves[key] ?? key;

  function linesOf(role: string): Line[] {
    const lines: Line[] = [];
    for (const lap of desk.laps) {
      const values = desk.curve(lap.key, role);
      if (values)
        lines.push({
          key: lap.key,
          values,
          colour: driverColour(lap.driver.colour, mode.dark),
          reference: lap.key === desk.lineUp?.reference,
          chosen: lap.key === desk.chosen,
          second: secondLaps.includes(lap.key),
        });
    }
    return lines;
  }

  function missing(role: string): string {
    const without = desk.laps.filter((lap) => role !== 'delta' && !lap.roles.includes(role));
    return [...new Set(without.map((lap) => lap.driver.name))].join(', ');
  }

  interface Reading {
    key: string;
    name: string;
    colour: string;
    value: number;
    text: string;
    chosen: boolean;
  }

  /** Values at the cursor, highest first (of the delta: slowest first). */
  function readings(role: string, lines: Line[]): Reading[] {
    const place = desk.cursor;
    if (place === null || !desk.curves) return [];
    const unit = unitOfRole(role, present.units);
    const { s } = desk.curves;
    return lines
      .map((line) => {
        const lap = desk.laps.find((item) => item.key === line.key);
        const value = valueAt(s, line.values, place);
        return {
          key: line.key,
          name: lap ? lap.driver.name + (shared ? ` ${lap.number}` : '') : '',
          colour: line.reference ? 'var(--muted)' : line.colour,
          value,
          text: role === 'delta' ? signed(value, unit) : figure(value, unit),
          chosen: line.chosen,
        };
      })
      .sort((a, b) => b.value - a.value);
  }

  function placeOf(event: PointerEvent | WheelEvent | MouseEvent): number {
    const box = (plain as HTMLElement).getBoundingClientRect();
    const x = event.clientX - box.left;
    return Math.min(Math.max(desk.zoom[0] + (x / stripWidth) * span, 0), desk.length);
  }

  function down(event: PointerEvent): void {
    if (event.button !== 0) return;
    (event.currentTarget as HTMLElement).setPointerCapture(event.pointerId);
    drag = { from: placeOf(event), moved: false, pan: event.shiftKey, x: event.clientX };
  }

  function move(event: PointerEvent): void {
    if (drag?.pan) {
      desk.pan((-(event.clientX - drag.x) / stripWidth) * span);
      drag.x = event.clientX;
      return;
    }
    desk.cursor = placeOf(event);
    if (!drag) return;
    if (Math.abs(event.clientX - drag.x) > 4) drag.moved = true;
    if (drag.moved) desk.mark(drag.from, placeOf(event));
  }

  function up(event: PointerEvent): void {
    if (drag && !drag.moved && !drag.pan) desk.cursor = placeOf(event);
    if (drag?.moved && desk.part && desk.part.to - desk.part.from < 5) desk.part = null;
    drag = null;
  }

  function wheel(event: WheelEvent): void {
    if (!event.ctrlKey) return;
    event.preventDefault();
    desk.zoomAt(
      placeOf(event),
      Math.exp(Math.sign(event.deltaY) * Math.min(Math.abs(event.deltaY), 120) * 0.0022),
    );
  }

  function key(event: KeyboardEvent): void {
    if (event.key !== 'ArrowLeft' && event.key !== 'ArrowRight') return;
    event.preventDefault();
    desk.moveCursor((event.key === 'ArrowLeft' ? -1 : 1) * (event.shiftKey ? 10 : 1));
  }

  /** Listens with the right to keep the page from zooming. */
  function zoomWheel(node: HTMLElement): { destroy: () => void } {
    node.addEventListener('wheel', wheel, { passive: false });
    return { destroy: () => node.removeEventListener('wheel', wheel) };
  }

  function drawPart(ctx: CanvasRenderingContext2D, w: number, h: number): void {
    const { part } = desk;
    if (!part) return;
    const pieces =
      part.from < part.to
        ? [[part.from, part.to]]
        : [
            [0, part.to],
            [part.from, desk.length],
          ];
    for (const [a, b] of pieces as [number, number][]) {
      const left = Math.max(0, px(a));
      const right = Math.min(w, px(b));
      if (right <= left) continue;
      ctx.fillStyle = mode.inks.stretch;
      // Not over the strips: there colour is the message.
      const top = desk.laps.length * ROW + 4;
      ctx.fillRect(left, top, right - left, h - top);
      ctx.fillRect(left, 0, right - left, 1.5);
    }
    ctx.fillStyle = mode.inks.accent;
    const edge = px(part.from);
    if (edge >= 0 && edge <= w) ctx.fillRect(edge - 0.5, 0, 1, h);
  }

  function drawCursor(ctx: CanvasRenderingContext2D, w: number, h: number): void {
    if (desk.cursor === null) return;
    const x = px(desk.cursor);
    if (x < -1 || x > w + 1) return;
    ctx.fillStyle = mode.inks.accent;
    ctx.fillRect(Math.round(x) - 0.75, 0, 1.5, h);
  }

  const delta = $derived(unitOf('time', present.units));
  const splits = $derived(desk.lineUp ? [0, ...desk.lineUp.layout.splits_m, desk.length] : []);
</script>

<div class="score" bind:clientWidth={width}>
  <div class="ruler" style:padding-left="{NAMES + AXIS}px" style:padding-right="{VALUES}px">
    <div class="bars">
      {#each desk.passages as passage (passage.name)}
        {@const corners = desk.lineUp?.layout.corners.filter((c) => passage.corners.includes(c.name)) ?? []}
        {#each corners as corner (corner.name)}
          {@const x = px(corner.apex_m)}
          {#if x >= -2 && x <= stripWidth + 2}
            <button
              type="button"
              class="corner"
              class:chosen={desk.part?.passage === passage.name}
              style:left="{x}px"
              title={t.passage(passage.name.slice(1), passage.corners.join(' '))}
              onclick={() => desk.choosePassage(passage)}>{corner.name.replace('T', '')}</button
            >
          {/if}
        {/each}
      {/each}
    </div>
  </div>

  <div class="rows" bind:clientHeight={height}>
    <div class="strips">
      {#each desk.laps as lap (lap.key)}
        {@const isReference = lap.key === desk.lineUp?.reference}
        <button
          type="button"
          class="strip"
          class:chosen={lap.key === desk.chosen}
          aria-pressed={lap.key === desk.chosen}
          title={t.lapOf(lap.driver.name, lap.number)}
          onclick={() => (desk.chosen = lap.key)}
        >
          <span class="name" style:width="{NAMES + AXIS - 10}px">
            <span
              class="who"
              style:color={isReference ? 'var(--muted)' : driverColour(lap.driver.colour, mode.dark)}
              >{lap.driver.name}{#if shared}<span class="nth figure">{lap.number}</span>{/if}</span
            >
            <span
              class="figure"
              class:best-all={lap.time_s === fastest}
              class:best-own={lap.best_of_run && lap.time_s !== fastest}>{lapTime(lap.time_s)}</span
            >
          </span>
          <span class="paint">
            <Strip
              rate={desk.curves?.of(lap.key, 'loss_rate')}
              zoom={desk.drawn}
              transform={moved}
              {full}
              width={stripWidth}
              height={18}
              reference={isReference}
            />
          </span>
          <span class="gap figure" style:width="{VALUES - 8}px"
            >{isReference ? t.reference : signed(lap.delta_s, delta)}</span
          >
        </button>
      {/each}
    </div>

    {#each desk.staves as role (role)}
      {@const unit = unitOfRole(role, present.units)}
      {@const folded = desk.folded.includes(role)}
      {@const lines = linesOf(role)}
      <section class="stave" aria-label={nameOf(role)}>
        <div class="title" style:width="{NAMES}px">
          <span class="label">{nameOf(role)}</span>
          <span class="unit muted">{unit.label}</span>
          <span class="tools">
            <button
              type="button"
              class="tool"
              title={folded ? t.unfold(nameOf(role)) : t.fold(nameOf(role))}
              aria-label={folded ? t.unfold(nameOf(role)) : t.fold(nameOf(role))}
              onclick={() =>
                (desk.folded = folded ? desk.folded.filter((r) => r !== role) : [...desk.folded, role])}
            >
              {#if folded}<ChevronRight size={14} />{:else}<ChevronDown size={14} />{/if}
            </button>
            {#if role !== 'delta'}
              <button
                type="button"
                class="tool"
                title={t.removeStave(nameOf(role))}
                aria-label={t.removeStave(nameOf(role))}
                onclick={() => (desk.staves = desk.staves.filter((r) => r !== role))}><X size={13} /></button
              >
            {/if}
          </span>
          {#if missing(role) && lines.length}<span class="note muted"
              >{t.missing(nameOf(role), missing(role))}</span
            >{/if}
        </div>
        {#if folded}
          <div class="folded" style:width="{staveWidth}px"></div>
        {:else if desk.curves && lines.length}
          <Stave
            s={desk.curves.s}
            {lines}
            zoom={desk.drawn}
            transform={moved}
            {bars}
            {unit}
            width={staveWidth}
            height={HEIGHTS[role] ?? LOW}
            zero={role === 'delta'}
            margin={AXIS}
          />
          <ul class="readings" style:width="{VALUES - 8}px" style:max-height="{HEIGHTS[role] ?? LOW}px">
            {#each readings(role, lines) as reading (reading.key)}
              <li class:chosen={reading.chosen} style:color={reading.colour}>
                <span class="figure">{reading.text}</span><span class="who">{reading.name}</span>
              </li>
            {/each}
          </ul>
        {:else}
          <div class="folded muted" style:width="{staveWidth}px">
            {desk.curves ? t.noChannel(nameOf(role)) : ''}
          </div>
        {/if}
      </section>
    {/each}

    <!-- svelte-ignore a11y_no_noninteractive_tabindex, a11y_no_noninteractive_element_interactions -->
    <div
      bind:this={plain}
      class="plain"
      class:panning={drag?.pan}
      style:left="{NAMES + AXIS}px"
      style:width="{stripWidth}px"
      style:top="{desk.laps.length * ROW}px"
      role="application"
      tabindex="0"
      aria-label="{t.score}. {desk.cursor === null
        ? ''
        : t.cursorAt(`${figure(desk.cursor, distance)} ${distance.label}`)}"
      onpointerdown={down}
      onpointermove={move}
      onpointerup={up}
      onpointercancel={() => (drag = null)}
      ondblclick={() => {
        desk.whole();
        desk.part = null;
      }}
      onkeydown={key}
      use:zoomWheel
    ></div>
    <div class="over" style:left="{NAMES + AXIS}px">
      <Canvas width={stripWidth} {height} draw={drawPart} />
    </div>
    <div class="over" style:left="{NAMES + AXIS}px">
      <Canvas width={stripWidth} {height} draw={drawCursor} />
    </div>
  </div>

  <div class="foot" style:padding-left="{NAMES + AXIS}px" style:padding-right="{VALUES}px">
    <div class="sectors">
      {#each splits.slice(0, -1) as split, i (i)}
        {@const left = Math.max(0, px(split))}
        {@const right = Math.min(stripWidth, px(splits[i + 1] ?? 0))}
        {#if right - left > 4}
          <span class="sector" style:left="{left}px" style:width="{right - left}px">
            {right - left > 70 ? t.sector(i + 1) : i + 1}
          </span>
        {/if}
      {/each}
      {#if desk.cursor !== null && px(desk.cursor) >= 0 && px(desk.cursor) <= stripWidth}
        <span class="here figure" style:left="{Math.min(Math.max(px(desk.cursor), 28), stripWidth - 28)}px"
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
    height: 22px;
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
  .who {
    overflow: hidden;
    text-overflow: ellipsis;
    white-space: nowrap;
    font-weight: 560;
    font-stretch: 90%;
  }
  .nth {
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
  .strips {
    padding-bottom: 4px;
  }
  .stave {
    display: flex;
    position: relative;
    margin-top: 6px;
  }
  .title {
    flex: none;
    padding-top: 2px;
    line-height: 1.25;
  }
  .label {
    display: block;
    font-weight: 620;
    font-stretch: 92%;
  }
  .unit {
    font-size: 12px;
  }
  .note {
    display: block;
    font-size: 11px;
    padding-right: 8px;
    overflow: hidden;
    max-height: 3.8em;
  }
  .tools {
    display: flex;
    gap: 2px;
    margin-top: 2px;
    opacity: 0;
  }
  .stave:hover .tools,
  .tools:focus-within {
    opacity: 1;
  }
  .tool {
    width: 24px;
    height: 24px;
    display: grid;
    place-items: center;
    border-radius: 4px;
    color: var(--muted);
    cursor: pointer;
  }
  .tool:hover {
    background: var(--strip);
    color: var(--ink);
  }
  .folded {
    height: 24px;
    border-bottom: 1px solid var(--rule);
    margin-left: 0;
    padding-left: 50px;
    font-size: 12px;
  }
  .readings {
    flex: none;
    margin-left: 8px;
    font-size: 11px;
    line-height: 14.5px;
    overflow: hidden;
    align-self: flex-start;
  }
  .readings li {
    display: flex;
    gap: 5px;
    white-space: nowrap;
  }
  .readings .figure {
    min-width: 4.4ch;
    text-align: right;
  }
  .readings .who {
    font-weight: 440;
    font-stretch: 80%;
  }
  .readings li.chosen .figure,
  .readings li.chosen .who {
    font-weight: 700;
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
  .sectors {
    position: relative;
    height: 24px;
    border-top: 1px solid var(--rule);
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
