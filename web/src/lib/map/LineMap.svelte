<!-- The ground under the laps: driven lines between the limits, what each lap did where, and the cursor on all of them. -->
<script lang="ts">
  import type { DeskLap, Layout, LapPoints } from '$lib/api/client';
  import { shortName } from '$lib/desk/corners';
  import type { Curve } from '$lib/desk/curves';
  import Canvas from '$lib/draw/Canvas.svelte';
  import { LOSS, lossColour, sequence } from '$lib/draw/colours';
  import { inkOf } from '$lib/draw/inks';
  import { mode } from '$lib/draw/mode.svelte';
  import { directionAt, nearestPlace, pointAt, type Driven, type Line } from '$lib/map/driven';
  import { drawFlag, drawPoint, KINDS } from '$lib/map/points';
  import { fitting, nearer, onGround, onScreen, roundLength, shifted, upwards, type Point, type View } from '$lib/map/view'; // prettier-ignore
  import { unitOf } from '$lib/quantities/units';
  import { present } from '$lib/session/present.svelte';

  interface Props {
    driven: Driven;
    layout: Layout;
    laps: { lap: DeskLap; nth: number }[];
    reference: string;
    chosen: string | null;
    points: LapPoints[];
    /** where notes are pinned, m from the start line */
    notes: number[];
    /** from and to in metres of what is to be seen; from behind to where it runs across the line */
    range: [number, number];
    /** whether the driving direction points up */
    driving: boolean;
    /** what colours the chosen lap, with the values that get the ends of the scale; null: the drivers' colours */
    colouring: { values: Curve; low: number; high: number; loss: boolean } | null;
    cursor: number | null;
    /** where each lap is while they are played, by key */
    dots: Record<string, number> | null;
    /** whether the view goes along with the chosen lap's dot */
    follow: boolean;
    width: number;
    height: number;
    label: string;
    onplace: (place: number) => void;
  }
  let { driven, layout, laps, reference, chosen, points, notes, range, driving, colouring, cursor, dots, follow, width, height, label, onplace }: Props = $props(); // prettier-ignore

  const PAD = 34;
  const NEAR_PX = 26;
  /** From how many pixels a metre on points of every lap are drawn, and names of marks. */
  const CLOSE = 1.6;

  const inRange = (place: number): boolean =>
    range[0] <= range[1] ? place >= range[0] && place <= range[1] : place >= range[0] || place <= range[1];
  const turn = $derived.by(() => {
    if (!driving) return (layout.heading_deg * Math.PI) / 180;
    // As one comes to it.
    return upwards(...directionAt(driven.s, driven.centre, range[0]));
  });
  const fit = $derived.by(() => {
    const { s, centre } = driven;
    const seen: Point[] = [];
    for (let i = 0; i < s.length; i += 3)
      if (inRange(s[i] ?? 0)) seen.push([centre.x[i] as number, centre.y[i] as number]);
    return fitting(seen, width, height, turn, PAD);
  });
  /** where somebody moved it to; what is to be seen anew takes that back */
  let own = $state.raw<{ view: View; of: View } | null>(null);
  const still = $derived(own?.of === fit ? own.view : fit);
  const view = $derived.by<View>(() => {
    const place = follow && chosen ? dots?.[chosen] : undefined;
    const line = driven.of(laps.find(({ lap }) => lap.key === chosen)?.lap.curves ?? '');
    return place === undefined || !line ? still : { ...still, at: pointAt(driven.s, line, place) };
  });
  const least = $derived(fit.scale / 20);
  const rank = (key: string): number => (key === reference ? 0 : key === chosen ? 2 : 1);
  /** The reference beneath all others, the chosen lap above. */
  const ordered = $derived([...laps].sort((a, b) => rank(a.lap.key) - rank(b.lap.key)));
  const screen = (point: Point): Point => onScreen(view, width, height, point);
  const base = $derived(
    driven.of(laps.find(({ lap }) => lap.key === reference)?.lap.curves ?? '') ?? driven.centre,
  );

  export function zoom(factor: number, at: Point = [width / 2, height / 2]): void {
    own = { view: nearer(view, width, height, at, factor, least), of: fit };
  }

  export function whole(): void {
    own = null;
  }

  function pan(dx: number, dy: number): void {
    own = { view: shifted(view, dx, dy), of: fit };
  }

  function trace(ctx: CanvasRenderingContext2D, line: Line, from = 0, to = driven.s.length - 1): void {
    const step = Math.max(1, Math.floor(1 / view.scale));
    let down = false;
    for (let i = from; i <= to; i = i === to ? to + 1 : Math.min(i + step, to)) {
      const [x, y] = screen([line.x[i] as number, line.y[i] as number]);
      if (!Number.isFinite(x)) down = false;
      else if (down) ctx.lineTo(x, y);
      else ctx.moveTo(x, y);
      down = Number.isFinite(x);
    }
  }

  function drawRoad(ctx: CanvasRenderingContext2D): void {
    const { inks } = mode;
    const [left, right] = driven.limits;
    ctx.lineJoin = 'round';
    if (left && right) {
      ctx.beginPath();
      trace(ctx, left);
      const n = right.x.length;
      const turned: Line = { x: right.x.slice().reverse(), y: right.y.slice().reverse() };
      // One way round along the left, back along the right; a closed road has a hole in the middle.
      for (let i = 0; i < n; i += Math.max(1, Math.floor(1 / view.scale))) {
        const [x, y] = screen([turned.x[i] as number, turned.y[i] as number]);
        ctx.lineTo(x, y);
      }
      ctx.closePath();
      ctx.fillStyle = mode.dark ? '#262a33' : '#f3efe4';
      ctx.fill('evenodd');
      ctx.strokeStyle = inks.muted;
      ctx.lineWidth = 1;
      for (const limit of [left, right]) {
        ctx.beginPath();
        trace(ctx, limit);
        ctx.stroke();
      }
      return;
    }
    // How wide the road is nobody has said: only its line.
    ctx.beginPath();
    trace(ctx, driven.centre);
    ctx.strokeStyle = inks.rule;
    ctx.lineWidth = view.scale < 0.6 ? 9 : 1;
    ctx.stroke();
  }

  function drawLaps(ctx: CanvasRenderingContext2D): void {
    for (const { lap, nth } of ordered) {
      const line = driven.of(lap.curves);
      if (!line) continue;
      const ink = inkOf(lap, nth, mode.dark);
      if (colouring && lap.key === chosen) {
        drawColoured(ctx, line, colouring);
        continue;
      }
      ctx.beginPath();
      trace(ctx, line);
      ctx.strokeStyle = lap.key === reference ? mode.inks.band : ink.colour;
      ctx.globalAlpha = colouring ? 0.45 : 1;
      ctx.setLineDash(lap.key === reference ? [] : ink.dash);
      ctx.lineWidth = lap.key === reference ? 6.5 : lap.key === chosen ? 2.2 : ink.weight;
      ctx.stroke();
      ctx.setLineDash([]);
      ctx.globalAlpha = 1;
    }
  }

  function drawColoured(ctx: CanvasRenderingContext2D, line: Line, by: NonNullable<typeof colouring>): void {
    const step = Math.max(1, Math.round(3 / view.scale));
    ctx.lineWidth = 5;
    ctx.lineCap = 'round';
    for (let i = 0; i < driven.s.length - 1; i += step) {
      const to = Math.min(i + step, driven.s.length - 1);
      const value = by.values[i] as number;
      if (!Number.isFinite(value)) continue;
      ctx.strokeStyle = by.loss
        ? lossColour(value, by.high, LOSS[mode.dark ? 'dark' : 'light'])
        : sequence((value - by.low) / (by.high - by.low || 1), mode.dark);
      ctx.beginPath();
      trace(ctx, line, i, to);
      ctx.stroke();
    }
    ctx.lineCap = 'butt';
  }

  function across(place: number): [Point, Point] {
    const [dx, dy] = directionAt(driven.s, driven.centre, place);
    const long = Math.hypot(dx, dy) || 1;
    const [cos, sin] = [Math.cos(view.turn), Math.sin(view.turn)];
    // Left of the driving direction, on the screen, whose y points down.
    const [nx, ny] = [-dy / long, dx / long];
    return [screen(pointAt(driven.s, driven.centre, place)), [nx * cos - ny * sin, -(nx * sin + ny * cos)]];
  }

  function drawNames(ctx: CanvasRenderingContext2D): void {
    ctx.textAlign = 'center';
    ctx.textBaseline = 'middle';
    ctx.fillStyle = mode.inks.ink;
    ctx.font = '600 12px "Instrument Sans Variable"';
    const [[lx, ly], [lnx, lny]] = across(0);
    const half = Math.max(9, 7 * view.scale);
    ctx.strokeStyle = mode.inks.ink;
    ctx.lineWidth = 2;
    ctx.beginPath();
    ctx.moveTo(lx - lnx * half, ly - lny * half);
    ctx.lineTo(lx + lnx * half, ly + lny * half);
    ctx.stroke();
    for (const corner of layout.corners) {
      const [[x, y], [nx, ny]] = across(corner.apex_m);
      const side = (corner.direction === 'right' ? 1 : -1) * (18 + 7 * view.scale);
      ctx.fillText(shortName(corner.name), x + nx * side, y + ny * side);
    }
    ctx.font = '11px "Instrument Sans Variable"';
    for (const mark of layout.marks) {
      const [[x, y], [nx, ny]] = across(mark.at_m);
      const by = 10 + 7 * view.scale;
      ctx.fillStyle = mode.inks.brass;
      ctx.fillRect(x + nx * by - 3, y + ny * by - 3, 6, 6);
      ctx.fillStyle = mode.inks.muted;
      if (view.scale > CLOSE / 2)
        ctx.fillText(mark.name.slice(0, 40), x + nx * (by + 14), y + ny * (by + 14));
    }
  }

  function drawNotes(ctx: CanvasRenderingContext2D): void {
    for (const place of notes)
      drawFlag(ctx, screen(pointAt(driven.s, driven.centre, place)), mode.inks.accent);
  }

  function drawPoints(ctx: CanvasRenderingContext2D): void {
    if (view.scale < CLOSE / 3) return;
    for (const { lap, nth } of ordered) {
      if (view.scale < CLOSE && lap.key !== chosen && lap.key !== reference) continue;
      const line = driven.of(lap.curves);
      const told = points.find((one) => one.lap === lap.curves);
      if (!line || !told) continue;
      const colour = lap.key === reference ? mode.inks.muted : inkOf(lap, nth, mode.dark).colour;
      for (const corner of told.corners)
        for (const kind of KINDS) {
          const place = corner[kind];
          if (place === null || place === undefined) continue;
          const inside = ((place % layout.length_m) + layout.length_m) % layout.length_m;
          const [, normal] = across(inside);
          drawPoint(ctx, kind, screen(pointAt(driven.s, line, inside)), normal, colour, mode.inks.paper);
        }
    }
  }

  function drawScale(ctx: CanvasRenderingContext2D): void {
    const unit = unitOf('distance', present.units);
    const long = roundLength(view.scale, unit.factor);
    const px = (long / unit.factor) * view.scale;
    ctx.strokeStyle = mode.inks.muted;
    ctx.lineWidth = 1.5;
    ctx.beginPath();
    ctx.moveTo(12, height - 16);
    ctx.lineTo(12, height - 11);
    ctx.lineTo(12 + px, height - 11);
    ctx.lineTo(12 + px, height - 16);
    ctx.stroke();
    ctx.fillStyle = mode.inks.muted;
    ctx.textAlign = 'left';
    ctx.font = '10px "Martian Mono Variable"';
    ctx.fillText(`${long} ${unit.label}`, 18 + px, height - 12);
  }

  function draw(ctx: CanvasRenderingContext2D): void {
    drawRoad(ctx);
    drawLaps(ctx);
    drawPoints(ctx);
    drawNames(ctx);
    drawNotes(ctx);
    drawScale(ctx);
  }

  function drawPlace(ctx: CanvasRenderingContext2D): void {
    for (const { lap, nth } of ordered) {
      const line = driven.of(lap.curves);
      const place = dots ? dots[lap.key] : cursor;
      if (!line || place === undefined || place === null) continue;
      const [x, y] = screen(pointAt(driven.s, line, place));
      ctx.beginPath();
      ctx.arc(x, y, lap.key === chosen ? 6 : 4, 0, 2 * Math.PI);
      ctx.fillStyle = lap.key === chosen ? mode.inks.brass : lap.key === reference ? mode.inks.muted : inkOf(lap, nth, mode.dark).colour; // prettier-ignore
      ctx.fill();
      ctx.strokeStyle = mode.inks.ink;
      ctx.lineWidth = lap.key === chosen ? 1.8 : 1;
      ctx.stroke();
    }
  }

  let held: Point | null = null;
  function spot(event: MouseEvent): Point {
    const box = (event.currentTarget as HTMLElement).getBoundingClientRect();
    return [event.clientX - box.left, event.clientY - box.top];
  }

  function move(event: PointerEvent): void {
    const at = spot(event);
    if (held) {
      pan(at[0] - held[0], at[1] - held[1]);
      held = at;
      return;
    }
    const { place, away } = nearestPlace(driven.s, base, onGround(view, width, height, at));
    if (away * view.scale < NEAR_PX) onplace(place);
  }

  function key(event: KeyboardEvent): void {
    const step = 40;
    const moves: Record<string, () => void> = {
      '+': () => zoom(1.4),
      '-': () => zoom(1 / 1.4),
      '0': whole,
      ArrowLeft: () => pan(step, 0),
      ArrowRight: () => pan(-step, 0),
      ArrowUp: () => pan(0, step),
      ArrowDown: () => pan(0, -step),
    };
    const found = moves[event.key];
    if (!found || event.ctrlKey || event.metaKey || event.altKey) return;
    event.preventDefault();
    event.stopPropagation();
    found();
  }

  /** Listens with the right to keep the page from scrolling. */
  function wheel(node: HTMLElement): { destroy: () => void } {
    const turned = (event: WheelEvent): void => {
      event.preventDefault();
      zoom(Math.exp(-Math.sign(event.deltaY) * Math.min(Math.abs(event.deltaY), 120) * 0.0022), spot(event));
    };
    node.addEventListener('wheel', turned, { passive: false });
    return { destroy: () => node.removeEventListener('wheel', turned) };
  }
</script>

<!-- svelte-ignore a11y_no_noninteractive_tabindex, a11y_no_noninteractive_element_interactions -->
<div
  class="map"
  style:width="{width}px"
  style:height="{height}px"
  role="application"
  tabindex="0"
  aria-label={label}
  onpointerdown={(event) => {
    held = spot(event);
    (event.currentTarget as HTMLElement).setPointerCapture(event.pointerId);
  }}
  onpointermove={move}
  onpointerup={() => (held = null)}
  onpointercancel={() => (held = null)}
  ondblclick={whole}
  onkeydown={key}
  use:wheel
>
  <Canvas {width} {height} {draw} />
  <div class="over"><Canvas {width} {height} draw={drawPlace} /></div>
</div>

<style>
  .map {
    position: relative;
    overflow: hidden;
    cursor: grab;
    touch-action: pan-y;
    border: 1px solid var(--rule);
    border-radius: 4px;
  }
  .map:active {
    cursor: grabbing;
  }
  .over {
    position: absolute;
    inset: 0;
    pointer-events: none;
  }
</style>
