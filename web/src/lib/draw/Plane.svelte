<!-- Clouds of dots in two channels, each lap in its ink, with outlines; the cursor is on all of them. -->
<script lang="ts">
  import type { Curve } from '$lib/desk/curves';
  import Canvas from '$lib/draw/Canvas.svelte';
  import { mode } from '$lib/draw/mode.svelte';
  import { marksOf } from '$lib/draw/trace';
  import { planeOf, type Cloud, type Outline } from '$lib/draw/plane';
  import type { Unit } from '$lib/quantities/units';

  interface Props {
    s: Float64Array;
    clouds: Cloud[];
    outlines?: Outline[];
    /** whether a place on the grid belongs to the stretch */
    inside: (place: number) => boolean;
    cursor: number | null;
    units: [Unit, Unit];
    labels: [string, string];
    /** one scale for both, 0 in the middle, and what is positive from left to right on the left (the driver's) */
    round?: boolean;
    width: number;
    height: number;
    label: string;
    onplace: (place: number) => void;
  }
  let { s, clouds, outlines = [], inside, cursor, units, labels, round = false, width, height, label, onplace }: Props = $props(); // prettier-ignore

  const PAD = { left: 42, right: 10, top: 20, bottom: 30 };
  const NEAR_PX = 24;
  const plane = $derived(
    planeOf(s, clouds, outlines, inside, {
      width: width - PAD.left - PAD.right,
      height: height - PAD.top - PAD.bottom,
      round,
    }),
  );
  const x = (value: number): number => PAD.left + plane.x(value);
  const y = (value: number): number => PAD.top + plane.y(value);
  const ordered = $derived([...clouds].sort((a, b) => a.rank - b.rank));

  function drawAxes(ctx: CanvasRenderingContext2D): void {
    const { inks } = mode;
    ctx.font = '10px "Martian Mono Variable"';
    ctx.fillStyle = inks.muted;
    ctx.strokeStyle = inks.rule;
    ctx.lineWidth = 1;
    ctx.beginPath();
    ctx.textAlign = 'center';
    ctx.textBaseline = 'alphabetic';
    for (const mark of marksOf(plane.rangeX, units[0], Math.max(2, Math.floor(width / 60)))) {
      const at = Math.round(x(mark.value)) + 0.5;
      ctx.moveTo(at, PAD.top);
      ctx.lineTo(at, height - PAD.bottom);
      ctx.fillText(mark.text, at, height - PAD.bottom + 12);
    }
    ctx.textAlign = 'right';
    ctx.textBaseline = 'middle';
    for (const mark of marksOf(plane.rangeY, units[1], Math.max(2, Math.floor(height / 44)))) {
      const at = Math.round(y(mark.value)) + 0.5;
      ctx.moveTo(PAD.left, at);
      ctx.lineTo(width - PAD.right, at);
      ctx.fillText(mark.text, PAD.left - 5, at);
    }
    ctx.stroke();
    ctx.font = '11px "Instrument Sans Variable"';
    ctx.textBaseline = 'alphabetic';
    ctx.fillText(labels[0], width - PAD.right, height - 4);
    ctx.textAlign = 'left';
    ctx.fillText(labels[1], 4, PAD.top - 8);
  }

  function drawClouds(ctx: CanvasRenderingContext2D): void {
    for (const cloud of ordered) {
      const half = cloud.size / 2;
      ctx.fillStyle = cloud.colour;
      ctx.globalAlpha = cloud.dim ? 0.5 : 0.9;
      for (let i = 0; i < s.length; i++) {
        if (!inside(s[i] as number)) continue;
        const px = x(cloud.xs[i] as number);
        const py = y(cloud.ys[i] as number);
        if (Number.isFinite(px) && Number.isFinite(py))
          ctx.fillRect(px - half, py - half, cloud.size, cloud.size);
      }
    }
    ctx.globalAlpha = 1;
  }

  function drawOutlines(ctx: CanvasRenderingContext2D): void {
    ctx.lineJoin = 'round';
    for (const outline of outlines) {
      ctx.beginPath();
      let down = false;
      for (const [px, py] of outline.points) {
        if (!Number.isFinite(px) || !Number.isFinite(py)) down = false;
        else if (down) ctx.lineTo(x(px), y(py));
        else ctx.moveTo(x(px), y(py));
        down = Number.isFinite(px) && Number.isFinite(py);
      }
      ctx.strokeStyle = outline.colour;
      ctx.lineWidth = outline.weight;
      ctx.stroke();
    }
  }

  function draw(ctx: CanvasRenderingContext2D): void {
    drawAxes(ctx);
    drawClouds(ctx);
    drawOutlines(ctx);
  }

  const at = (values: Curve, place: number): number =>
    values[Math.min(Math.round(place), s.length - 1)] ?? NaN;

  function drawCursor(ctx: CanvasRenderingContext2D): void {
    if (cursor === null) return;
    for (const cloud of ordered) {
      const [px, py] = [x(at(cloud.xs, cursor)), y(at(cloud.ys, cursor))];
      if (!Number.isFinite(px) || !Number.isFinite(py)) continue;
      ctx.beginPath();
      ctx.arc(px, py, cloud.rank === 2 ? 6 : 4, 0, 2 * Math.PI);
      ctx.fillStyle = cloud.rank === 2 ? mode.inks.brass : cloud.colour;
      ctx.fill();
      ctx.strokeStyle = mode.inks.ink;
      ctx.lineWidth = cloud.rank === 2 ? 1.8 : 1;
      ctx.stroke();
    }
  }

  /** The place of the dot under the pointer: the chosen lap's before others'. */
  function look(event: PointerEvent): void {
    const box = (event.currentTarget as HTMLElement).getBoundingClientRect();
    const [px, py] = [event.clientX - box.left, event.clientY - box.top];
    let best = NEAR_PX * NEAR_PX;
    let place: number | null = null;
    for (const cloud of [...ordered].reverse())
      for (let i = 0; i < s.length; i++) {
        if (!inside(s[i] as number)) continue;
        const away = (x(cloud.xs[i] as number) - px) ** 2 + (y(cloud.ys[i] as number) - py) ** 2;
        if (away < best - 4) [best, place] = [away, s[i] as number];
      }
    if (place !== null) onplace(place);
  }
</script>

<div class="plane" role="presentation" style:width="{width}px" style:height="{height}px" onpointermove={look}>
  <Canvas {width} {height} {draw} {label} />
  <div class="over"><Canvas {width} {height} draw={drawCursor} /></div>
</div>

<style>
  .plane {
    position: relative;
    cursor: crosshair;
  }
  .over {
    position: absolute;
    inset: 0;
    pointer-events: none;
  }
</style>
