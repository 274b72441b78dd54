<!-- One lap as a coloured strip along the circuit: its loss rate against the reference. -->
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
  }
  let { rate, scale, full, height, reference, transform }: Props = $props();

  function draw(ctx: CanvasRenderingContext2D, w: number, h: number): void {
    if (reference || !rate) {
      ctx.fillStyle = mode.inks.band;
      ctx.fillRect(0, 0, w, h);
      return;
    }
    const colours = LOSS[mode.dark ? 'dark' : 'light'];
    const { from } = scale;
    const step = 1 / scale.perMetre;
    for (let x = 0; x < w; x++) {
      const a = Math.max(0, Math.floor(from + x * step));
      const b = Math.min(rate.length - 1, Math.max(a, Math.ceil(from + (x + 1) * step) - 1));
      let sum = 0;
      for (let i = a; i <= b; i++) sum += rate[i] ?? 0;
      ctx.fillStyle = lossColour(sum / (b - a + 1), full, colours);
      ctx.fillRect(x, 0, 1.5, h);
    }
  }
</script>

<div style:width="{scale.width}px"><Canvas width={scale.width} {height} {draw} {transform} /></div>

<style>
  div {
    overflow: hidden;
  }
</style>
