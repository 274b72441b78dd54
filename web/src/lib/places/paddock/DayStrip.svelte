<!-- A lap's losses along the circuit, small: where it loses to the day's quickest, in one look. -->
<script lang="ts">
  import Canvas from '$lib/draw/Canvas.svelte';
  import { LOSS, lossColour } from '$lib/draw/colours';
  import { mode } from '$lib/draw/mode.svelte';

  interface Props {
    /** loss rates in equal parts of the circuit, s/m; none for the reference */
    rates: number[];
    full: number;
    width: number;
  }
  let { rates, full, width }: Props = $props();

  function draw(ctx: CanvasRenderingContext2D, w: number, h: number): void {
    if (!rates.length) {
      ctx.fillStyle = mode.inks.band;
      ctx.fillRect(0, 0, w, h);
      return;
    }
    const colours = LOSS[mode.dark ? 'dark' : 'light'];
    const cell = w / rates.length;
    rates.forEach((rate, i) => {
      ctx.fillStyle = lossColour(rate, full, colours);
      ctx.fillRect(Math.round(i * cell), 0, Math.ceil(cell), h);
    });
  }
</script>

<div aria-hidden="true"><Canvas {width} height={12} {draw} /></div>

<style>
  div {
    margin-bottom: 3px;
  }
</style>
