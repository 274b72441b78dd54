<!-- One lap as a coloured strip along the circuit: its loss rate against the reference, hatched where it was held up. -->
<script lang="ts">
  import type { Curve } from '$lib/desk/curves';
  import Canvas from '$lib/draw/Canvas.svelte';
  import { LOSS, lossColour } from '$lib/draw/colours';
  import { mode } from '$lib/draw/mode.svelte';

  import type { Scale } from '$lib/draw/scale';

  interface Props {
    rate: Curve | undefined;
    full: number;
    scale: Scale;
    height: number;
    reference: boolean;
    transform?: string;
    /** where another car was in the way, from and to in metres */
    held?: [number, number][];
    /** of which sector the loss is shown at the end; the others are paler */
    sectors?: number | null;
    splits?: number[];
  }
  let {
    rate,
    scale,
    full,
    height,
    reference,
    transform,
    held = [],
    sectors = null,
    splits = [],
  }: Props = $props();

  const HATCH = 5;

  function draw(ctx: CanvasRenderingContext2D, w: number, h: number): void {
    if (reference || !rate) {
      ctx.fillStyle = mode.inks.band;
      ctx.fillRect(0, 0, w, h);
    } else paint(ctx, rate, w, h);
    for (const [from, to] of held) hatch(ctx, Math.max(0, scale.x(from)), Math.min(w, scale.x(to)), h);
    if (sectors !== null) fade(ctx, w, h, sectors);
  }

  function paint(ctx: CanvasRenderingContext2D, own: Curve, w: number, h: number): void {
    const colours = LOSS[mode.dark ? 'dark' : 'light'];
    const { from } = scale;
    const step = 1 / scale.perStep;
    for (let x = 0; x < w; x++) {
      const a = Math.max(0, Math.floor(from + x * step));
      const b = Math.min(own.length - 1, Math.max(a, Math.ceil(from + (x + 1) * step) - 1));
      let sum = 0;
      for (let i = a; i <= b; i++) sum += own[i] ?? 0;
      ctx.fillStyle = lossColour(sum / (b - a + 1), full, colours);
      ctx.fillRect(x, 0, 1.5, h);
    }
  }

  function hatch(ctx: CanvasRenderingContext2D, left: number, right: number, h: number): void {
    if (right - left < 1) return;
    ctx.save();
    ctx.beginPath();
    ctx.rect(left, 0, right - left, h);
    ctx.clip();
    ctx.strokeStyle = mode.inks.ink;
    ctx.globalAlpha = 0.55;
    ctx.lineWidth = 1;
    ctx.beginPath();
    for (let x = left - h; x < right; x += HATCH) {
      ctx.moveTo(x, h);
      ctx.lineTo(x + h, 0);
    }
    ctx.stroke();
    ctx.restore();
  }

  function fade(ctx: CanvasRenderingContext2D, w: number, h: number, index: number): void {
    const low = scale.x(index === 0 ? -1 : (splits[index - 1] ?? 0));
    const high = index < splits.length ? scale.x(splits[index] ?? 0) : w + 1;
    ctx.fillStyle = mode.inks.paper;
    ctx.globalAlpha = 0.72;
    ctx.fillRect(0, 0, Math.min(Math.max(low, 0), w), h);
    ctx.fillRect(Math.max(high, 0), 0, Math.max(w - high, 0), h);
    ctx.globalAlpha = 1;
  }
</script>

<div style:width="{scale.width}px"><Canvas width={scale.width} {height} {draw} {transform} /></div>

<style>
  div {
    overflow: hidden;
  }
</style>
