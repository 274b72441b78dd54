<!-- Channels along the circuit for every lap of the line-up: the reference as a broad pale band, laps as thin lines. -->
<script lang="ts">
  import type { Curve } from '$lib/desk/curves';
  import type { Unit } from '$lib/quantities/units';
  import Canvas from '$lib/draw/Canvas.svelte';
  import { mode } from '$lib/draw/mode.svelte';
  import { rangeOf } from '$lib/draw/range';
  import { marksOf, trace } from '$lib/draw/trace';

  import type { Scale } from '$lib/draw/scale';

  export interface Line {
    key: string;
    values: Curve;
    colour: string;
    weight?: number;
    dash?: number[];
    reference: boolean;
    chosen: boolean;
    /** a lap as it might have been: on top of all */
    rebuilt?: boolean;
    /** half the width that is drawn around the line, where it is unsure */
    width?: Curve | undefined;
    /** whether values hold until the next one */
    stepped?: boolean;
    /** lowest and highest value of its own scale, where it is not the stave's */
    range?: [number, number];
    /** between what the middle half of a driver's laps lies */
    between?: [Curve, Curve];
    /** samples of a logger: step and value */
    dots?: [number, number][];
    /** whose it is, where it is no lap's */
    called?: { name: string; nth: string };
  }
  interface Props {
    /** steps of the axis: metres, or those of the time axis */
    s: Float64Array;
    lines: Line[];
    scale: Scale;
    bars: number[];
    unit: Unit;
    height: number;
    /** of the channel whose axis is drawn; by default what is on show */
    range?: [number, number] | undefined;
    /** whether that always holds 0 */
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
    range: given,
    zero = false,
    margin = 44,
    transform,
  }: Props = $props();

  const range = $derived(given ?? rangeOf(lines, scale.from, scale.to, zero));
  const room = 7;
  const DOT_PX = 2;
  const y = (value: number, h: number, own?: [number, number]) => {
    const [low, high] = own ?? range;
    return h - room - ((value - low) / (high - low)) * (h - 2 * room);
  };
  /** Places of the axis marks: what is written, and the height in pixels. */
  const marks = $derived(marksOf(range, unit, Math.floor(height / 23)));

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
    for (const line of lines) {
      const { values, width, between } = line;
      if (between)
        drawBetween(
          ctx,
          h,
          line,
          (i) => between[0][i] as number,
          (i) => between[1][i] as number,
        );
      else if (width)
        drawBetween(
          ctx,
          h,
          line,
          (i) => (values[i] as number) - (width[i] as number),
          (i) => (values[i] as number) + (width[i] as number),
        );
    }
    for (const line of [...lines].sort((a, b) => rank(a) - rank(b))) {
      ctx.beginPath();
      trace(ctx, s, line.values, scale, (value) => y(value, h, line.range), line.stepped ?? false);
      ctx.strokeStyle = line.reference ? inks.band : line.colour;
      ctx.setLineDash(line.dash ?? []);
      const weight = line.weight ?? 1.2;
      ctx.lineWidth = line.reference ? 6.5 : line.chosen ? Math.max(2, weight + 0.4) : weight;
      ctx.stroke();
    }
    ctx.setLineDash([]);
    for (const line of lines) if (line.dots?.length) drawDots(ctx, h, line, line.dots);
  }

  function drawDots(ctx: CanvasRenderingContext2D, h: number, line: Line, dots: [number, number][]): void {
    ctx.fillStyle = line.reference ? mode.inks.muted : line.colour;
    ctx.beginPath();
    for (const [step, value] of dots) {
      const x = (step - scale.from) * scale.perStep;
      const at = y(value, h, line.range);
      if (!Number.isFinite(at) || x < -2 || x > scale.width + 2) continue;
      ctx.moveTo(x + DOT_PX, at);
      ctx.arc(x, at, DOT_PX, 0, 2 * Math.PI);
    }
    ctx.fill();
  }

  type Side = (index: number) => number;

  /** Something pale from one curve to another: within what a line is unsure, or the middle half of laps. Gaps stay. */
  function drawBetween(ctx: CanvasRenderingContext2D, h: number, line: Line, low: Side, high: Side): void {
    const first = Math.max(0, Math.floor(scale.from) - 1);
    const last = Math.min(s.length - 1, Math.ceil(scale.to) + 1);
    const step = Math.max(1, Math.floor(2 / scale.perStep));
    ctx.globalAlpha = 0.18;
    ctx.fillStyle = line.colour;
    const at = (i: number, side: Side) =>
      ctx.lineTo(((s[i] ?? 0) - scale.from) * scale.perStep, y(side(i), h, line.range));
    let piece: number[] = [];
    const close = () => {
      if (piece.length > 1) {
        ctx.beginPath();
        for (const i of piece) at(i, high);
        for (const i of piece.reverse()) at(i, low);
        ctx.closePath();
        ctx.fill();
      }
      piece = [];
    };
    for (let i = first; ; i = Math.min(i + step, last)) {
      if (Number.isFinite(low(i)) && Number.isFinite(high(i))) piece.push(i);
      else close();
      if (i >= last) break;
    }
    close();
    ctx.globalAlpha = 1;
  }

  const rank = (line: Line) => (line.reference ? 0 : line.rebuilt ? 3 : line.chosen ? 2 : 1);
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
