<!-- One channel along the circuit for every lap of the line-up: the reference as a broad pale band, laps as thin lines. -->
<script lang="ts">
  import type { Curve } from '$lib/desk/curves';
  import type { Unit } from '$lib/quantities/units';
  import Canvas from '$lib/draw/Canvas.svelte';
  import { mode } from '$lib/draw/mode.svelte';
  import { ticks, trace } from '$lib/draw/trace';

  import type { Scale } from '$lib/draw/scale';

  export interface Line {
    key: string;
    values: Curve;
    colour: string;
    reference: boolean;
    chosen: boolean;
    /** a lap as it might have been: dashed, on top of all */
    dashed?: boolean;
    /** further laps of a driver who is on the desk already are drawn lighter */
    second: boolean;
    /** half the width that is drawn around the line, where it is unsure */
    width?: Curve | undefined;
  }
  interface Props {
    s: Float64Array;
    lines: Line[];
    scale: Scale;
    /** whether values hold until the next one */
    stepped?: boolean;
    bars: number[];
    unit: Unit;
    height: number;
    zero?: boolean;
    margin?: number;
    transform?: string;
  }
  let {
    s,
    lines,
    scale,
    bars,
    unit,
    height,
    zero = false,
    stepped = false,
    margin = 44,
    transform,
  }: Props = $props();

  /** Lowest and highest value of what is on show, with a little room; the zero line stays where it is asked for. */
  const range = $derived.by<[number, number]>(() => {
    let low = Infinity;
    let high = -Infinity;
    const first = Math.max(0, Math.floor(scale.from));
    const last = Math.ceil(scale.to);
    for (const { values, width } of lines)
      for (let i = first; i <= last && i < values.length; i++) {
        const v = values[i] as number;
        const around = width?.[i] ?? 0;
        if (v - around < low) low = v - around;
        if (v + around > high) high = v + around;
      }
    if (zero) [low, high] = [Math.min(low, 0), Math.max(high, 0)];
    if (!(high > low)) return Number.isFinite(low) ? [low - 1, low + 1] : [0, 1];
    return [low, high];
  });

  const room = 7;
  const low = $derived(range[0]);
  const high = $derived(range[1]);
  const y = (value: number, h: number) => h - room - ((value - low) / (high - low)) * (h - 2 * room);
  /** Places of the axis marks: what is written, and the height in pixels. */
  const marks = $derived(
    ticks(
      low * unit.factor + unit.offset,
      high * unit.factor + unit.offset,
      Math.max(1, Math.floor(height / 23)),
    ).map((tick) => ({
      text: String(Number(tick.toFixed(6))).replace('-', '−'),
      value: (tick - unit.offset) / unit.factor,
    })),
  );

  function drawAxis(ctx: CanvasRenderingContext2D, w: number, h: number): void {
    ctx.font = '10px "Martian Mono Variable"';
    ctx.fontStretch = 'condensed';
    ctx.textAlign = 'right';
    ctx.textBaseline = 'middle';
    ctx.fillStyle = mode.inks.muted;
    for (const mark of marks) ctx.fillText(mark.text, w - 7, Math.round(y(mark.value, h)) + 0.5);
  }

  function draw(ctx: CanvasRenderingContext2D, w: number, h: number): void {
    const { inks } = mode;
    ctx.lineWidth = 1;
    ctx.strokeStyle = inks.rule;
    ctx.beginPath();
    for (const mark of marks) {
      const at = Math.round(y(mark.value, h)) + 0.5;
      ctx.moveTo(0, at);
      ctx.lineTo(w, at);
    }
    for (const bar of bars) {
      const x = Math.round(scale.x(bar)) + 0.5;
      if (x < 0 || x > w) continue;
      ctx.moveTo(x, 0);
      ctx.lineTo(x, h);
    }
    ctx.stroke();
    ctx.lineJoin = 'round';
    for (const line of lines) if (line.width) drawWidth(ctx, h, line, line.width);
    for (const line of [...lines].sort((a, b) => rank(a) - rank(b))) {
      ctx.beginPath();
      trace(ctx, s, line.values, scale, (value) => y(value, h), stepped);
      ctx.strokeStyle = line.reference ? inks.band : line.colour;
      ctx.setLineDash(line.dashed ? [5, 3] : []);
      ctx.lineWidth = line.reference ? 6.5 : line.chosen ? 2 : line.dashed ? 1.4 : 1.1;
      ctx.globalAlpha = line.reference || line.chosen ? 1 : line.second ? 0.5 : 0.85;
      ctx.stroke();
    }
    ctx.globalAlpha = 1;
    ctx.setLineDash([]);
  }

  /** The pale width within which a line is unsure. */
  function drawWidth(ctx: CanvasRenderingContext2D, h: number, line: Line, width: Curve): void {
    const first = Math.max(0, Math.floor(scale.from) - 1);
    const last = Math.min(s.length - 1, Math.ceil(scale.to) + 1);
    const step = Math.max(1, Math.floor(2 / scale.perMetre));
    const steps: number[] = [];
    for (let i = first; i < last; i += step) steps.push(i);
    steps.push(last);
    const at = (i: number, side: 1 | -1) =>
      ctx.lineTo(scale.x(s[i] ?? 0), y((line.values[i] as number) + side * (width[i] as number), h));
    ctx.beginPath();
    for (const i of steps) at(i, 1);
    for (const i of steps.reverse()) at(i, -1);
    ctx.closePath();
    ctx.globalAlpha = 0.18;
    ctx.fillStyle = line.colour;
    ctx.fill();
    ctx.globalAlpha = 1;
  }

  const rank = (line: Line) => (line.reference ? 0 : line.dashed ? 3 : line.chosen ? 2 : 1);
</script>

<div class="stave" style:width="{scale.width + margin}px">
  <Canvas width={margin} {height} draw={drawAxis} />
  <div class="plot"><Canvas width={scale.width} {height} {draw} {transform} /></div>
</div>

<style>
  .stave {
    display: flex;
  }
  .plot {
    overflow: hidden;
  }
</style>
