<!-- The circuit with the loss of one lap, its corners, and the present place, turned as the team wants it. -->
<script lang="ts">
  import { shortName } from '$lib/desk/corners';
  import type { Layout } from '$lib/api/client';
  import type { Curve } from '$lib/desk/curves';
  import type { Part } from '$lib/desk/desk.svelte';
  import Canvas from '$lib/draw/Canvas.svelte';
  import { LOSS, lossColour } from '$lib/draw/colours';
  import { mode } from '$lib/draw/mode.svelte';
  import { drawFlag } from '$lib/map/points';

  import { within } from '$lib/desk/stretch';

  interface Props {
    layout: Layout;
    rate: Curve | undefined;
    full: number;
    part: Part | null;
    cursor: number | null;
    /** a part that is to fill the map; null: all of it */
    near?: Part | null;
    /** where notes are pinned, m from the start line */
    notes?: number[];
    width: number;
    height: number;
    label: string;
    onplace: (s: number) => void;
  }
  let {
    layout,
    rate,
    full,
    part,
    cursor,
    near = null,
    notes = [],
    width,
    height,
    label,
    onplace,
  }: Props = $props();

  const PAD = 26;
  const fit = $derived.by(() => {
    const turn = (layout.heading_deg * Math.PI) / 180;
    const [cos, sin] = [Math.cos(turn), Math.sin(turn)];
    const xs = layout.x.map((v, i) => v * cos - (layout.y[i] ?? 0) * sin);
    const ys = layout.x.map((v, i) => v * sin + (layout.y[i] ?? 0) * cos);
    const seen = layout.s.flatMap((s, i) => (!near || within(near, s) ? [i] : []));
    // A part too short to hold two places shows all.
    const shown = seen.length > 1 ? seen : [...layout.s.keys()];
    const west = Math.min(...shown.map((i) => xs[i] ?? 0));
    const east = Math.max(...shown.map((i) => xs[i] ?? 0));
    const south = Math.min(...shown.map((i) => ys[i] ?? 0));
    const north = Math.max(...shown.map((i) => ys[i] ?? 0));
    const scale = Math.min(
      (width - 2 * PAD) / Math.max(east - west, 1),
      (height - 2 * PAD) / Math.max(north - south, 1),
    );
    const left = (width - (east - west) * scale) / 2;
    const top = (height - (north - south) * scale) / 2;
    const x = xs.map((v) => left + (v - west) * scale);
    const y = ys.map((v) => top + (north - v) * scale);
    return { x, y };
  });

  function at(place: number): [number, number] {
    const { s } = layout;
    let i = s.findIndex((v) => v >= place);
    if (i < 0) i = s.length - 1;
    return [fit.x[i] ?? 0, fit.y[i] ?? 0];
  }

  function draw(ctx: CanvasRenderingContext2D): void {
    const { x, y } = fit;
    const { inks } = mode;
    const n = x.length;
    const path = (test: (i: number) => boolean) => {
      ctx.beginPath();
      for (let i = 0; i < n; i++) {
        if (!test(i)) continue;
        const j = (i + 1) % n;
        ctx.moveTo(x[i] ?? 0, y[i] ?? 0);
        ctx.lineTo(x[j] ?? 0, y[j] ?? 0);
      }
    };
    ctx.lineCap = 'round';
    ctx.lineJoin = 'round';
    if (part) {
      path((i) => within(part, layout.s[i] ?? 0));
      ctx.strokeStyle = inks.accent;
      ctx.lineWidth = 16;
      ctx.stroke();
    }
    path(() => true);
    ctx.strokeStyle = inks.band;
    ctx.lineWidth = 11;
    ctx.stroke();
    const colours = LOSS[mode.dark ? 'dark' : 'light'];
    ctx.lineWidth = 7;
    for (let i = 0; i < n; i++) {
      const j = (i + 1) % n;
      const value = rate ? (rate[Math.round(layout.s[i] ?? 0)] ?? 0) : 0;
      ctx.strokeStyle = lossColour(value, full, colours);
      ctx.beginPath();
      ctx.moveTo(x[i] ?? 0, y[i] ?? 0);
      ctx.lineTo(x[j] ?? 0, y[j] ?? 0);
      ctx.stroke();
    }
    startLine(ctx);
    for (const place of notes) drawFlag(ctx, at(place), inks.accent);
    ctx.fillStyle = inks.ink;
    ctx.font = '600 11px "Instrument Sans Variable"';
    ctx.textAlign = 'center';
    ctx.textBaseline = 'middle';
    for (const corner of layout.corners) {
      const [cx, cy] = at(corner.apex_m);
      const [ax, ay] = at(Math.max(0, corner.apex_m - 30));
      const [bx, by] = at(Math.min(layout.length_m, corner.apex_m + 30));
      const along = Math.hypot(bx - ax, by - ay) || 1;
      // Outside of the bend, where nothing else is drawn.
      const side = corner.direction === 'right' ? 1 : -1;
      ctx.fillText(
        shortName(corner.name),
        cx + (side * 15 * (by - ay)) / along,
        cy - (side * 15 * (bx - ax)) / along,
      );
    }
  }

  function startLine(ctx: CanvasRenderingContext2D): void {
    const [ax, ay] = at(0);
    const [bx, by] = at(30);
    const along = Math.hypot(bx - ax, by - ay) || 1;
    const dx = (-(by - ay) / along) * 9;
    const dy = ((bx - ax) / along) * 9;
    ctx.strokeStyle = mode.inks.ink;
    ctx.lineWidth = 2;
    ctx.beginPath();
    ctx.moveTo(ax - dx, ay - dy);
    ctx.lineTo(ax + dx, ay + dy);
    ctx.stroke();
  }

  function drawPlace(ctx: CanvasRenderingContext2D): void {
    if (cursor === null) return;
    const [cx, cy] = at(cursor);
    ctx.beginPath();
    ctx.arc(cx, cy, 6, 0, 2 * Math.PI);
    ctx.fillStyle = mode.inks.brass;
    ctx.fill();
    ctx.strokeStyle = mode.inks.ink;
    ctx.lineWidth = 1.8;
    ctx.stroke();
  }

  function nearest(event: PointerEvent): void {
    const box = (event.currentTarget as HTMLElement).getBoundingClientRect();
    const px = event.clientX - box.left;
    const py = event.clientY - box.top;
    let best = Infinity;
    let place = 0;
    for (let i = 0; i < fit.x.length; i++) {
      const d = ((fit.x[i] ?? 0) - px) ** 2 + ((fit.y[i] ?? 0) - py) ** 2;
      if (d < best) {
        best = d;
        place = layout.s[i] ?? 0;
      }
    }
    if (best < 30 ** 2) onplace(place);
  }
</script>

<div
  class="map"
  style:width="{width}px"
  style:height="{height}px"
  onpointerdown={nearest}
  role="presentation"
>
  <Canvas {width} {height} {draw} {label} />
  <div class="over"><Canvas {width} {height} draw={drawPlace} /></div>
</div>

<style>
  .map {
    position: relative;
    cursor: pointer;
  }
  .over {
    position: absolute;
    inset: 0;
    pointer-events: none;
  }
</style>
