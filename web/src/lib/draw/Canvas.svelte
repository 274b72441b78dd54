<!-- A canvas in device pixels that draws again, at most once a frame, when anything its drawing reads has changed. -->
<script lang="ts">
  interface Props {
    width: number;
    height: number;
    draw: (ctx: CanvasRenderingContext2D, width: number, height: number) => void;
    label?: string;
    /** moves the finished picture while a sharp one is not yet drawn */
    transform?: string;
  }
  let { width, height, draw, label, transform }: Props = $props();
  let canvas = $state<HTMLCanvasElement>();

  $effect(() => {
    const ctx = canvas?.getContext('2d');
    if (!canvas || !ctx || width < 1 || height < 1) return;
    const ratio = window.devicePixelRatio || 1;
    const w = Math.round(width * ratio);
    const h = Math.round(height * ratio);
    if (canvas.width !== w) canvas.width = w;
    if (canvas.height !== h) canvas.height = h;
    ctx.setTransform(ratio, 0, 0, ratio, 0, 0);
    ctx.clearRect(0, 0, width, height);
    draw(ctx, width, height);
  });
</script>

<canvas
  bind:this={canvas}
  style:width="{width}px"
  style:height="{height}px"
  style:transform
  aria-label={label}
  role={label ? 'img' : undefined}
  aria-hidden={label ? undefined : 'true'}
></canvas>

<style>
  canvas {
    display: block;
    transform-origin: 0 0;
  }
</style>
