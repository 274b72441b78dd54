<!-- One channel along the circuit for every lap of the line-up: the reference as a broad pale band, laps as thin lines. -->
<script lang="ts">
  import type { Curve } from '../desk/curves';
  import type { Unit } from '../units';
  import Canvas from './Canvas.svelte';
  import { mode } from './mode.svelte';
  import { ticks, trace } from './trace';

  export interface Line {
    key: string;
    values: Curve;
    colour: string;
    reference: boolean;
    chosen: boolean;
    /** further laps of a driver who is on the desk already are drawn lighter */
    second: boolean;
  }
  interface Props {
    s: Float64Array;
    lines: Line[];
    zoom: [number, number];
    bars: number[];
    unit: Unit;
    width: number;
    height: number;
    zero?: boolean;
    margin?: number;
  }
  let { s, lines, zoom, bars, unit, width, height, zero = false, margin = 44 }: Props = $props();

  /** Lowest and highest value of what is on show, with a little room; the zero line stays where it is asked for. */
  const range = $derived.by<[number, number]>(() => {
    let low = Infinity;
    let high = -Infinity;
    const first = Math.max(0, Math.floor(zoom[0]));
    const last = Math.ceil(zoom[1]);
    for (const { values } of lines)
      for (let i = first; i <= last && i < values.length; i++) {
        const v = values[i] as number;
        if (v < low) low = v;
        if (v > high) high = v;
      }
    if (zero) [low, high] = [Math.min(low, 0), Math.max(high, 0)];
    if (!(high > low)) return Number.isFinite(low) ? [low - 1, low + 1] : [0, 1];
    return [low, high];
  });

  function draw(ctx: CanvasRenderingContext2D, w: number, h: number): void {
    const { inks } = mode;
    const plot = w - margin;
    const room = 7;
    const [low, high] = range;
    const y = (value: number) => h - room - ((value - low) / (high - low)) * (h - 2 * room);
    const shown = (value: number) => value * unit.factor + unit.offset;
    const unshown = (value: number) => (value - unit.offset) / unit.factor;
    ctx.font = '10px "Martian Mono Variable"';
    ctx.fontStretch = 'condensed';
    ctx.textAlign = 'right';
    ctx.textBaseline = 'middle';
    ctx.lineWidth = 1;
    const marks = ticks(shown(low), shown(high), Math.max(1, Math.floor(h / 30)));
    for (const tick of marks) {
      const at = Math.round(y(unshown(tick))) + 0.5;
      ctx.strokeStyle = inks.rule;
      ctx.beginPath();
      ctx.moveTo(margin, at);
      ctx.lineTo(w, at);
      ctx.stroke();
      ctx.fillStyle = inks.muted;
      ctx.fillText(String(Number(tick.toFixed(6))).replace('-', '−'), margin - 7, at);
    }
    ctx.save();
    ctx.beginPath();
    ctx.rect(margin, 0, plot, h);
    ctx.clip();
    ctx.translate(margin, 0);
    const window = { from: zoom[0], to: zoom[1], width: plot };
    ctx.strokeStyle = inks.rule;
    for (const bar of bars) {
      const x = Math.round(((bar - zoom[0]) / (zoom[1] - zoom[0])) * plot) + 0.5;
      if (x < 0 || x > plot) continue;
      ctx.beginPath();
      ctx.moveTo(x, 0);
      ctx.lineTo(x, h);
      ctx.stroke();
    }
    ctx.lineJoin = 'round';
    const order = [...lines].sort((a, b) => rank(a) - rank(b));
    for (const line of order) {
      ctx.beginPath();
      trace(ctx, s, line.values, window, y);
      ctx.strokeStyle = line.reference ? inks.band : line.colour;
      ctx.lineWidth = line.reference ? 6.5 : line.chosen ? 2 : 1.1;
      ctx.globalAlpha = line.reference || line.chosen ? 1 : line.second ? 0.5 : 0.85;
      ctx.stroke();
    }
    ctx.restore();
  }

  const rank = (line: Line) => (line.reference ? 0 : line.chosen ? 2 : 1);
</script>

<Canvas {width} {height} {draw} />
