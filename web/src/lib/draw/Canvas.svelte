<!-- A canvas in device pixels that draws again, once a frame at most, when anything its drawing reads has changed. What
a drawing throws stays in its layer, which says so: the others go on. -->
<script lang="ts">
  import { noteDrawing } from '$lib/draw/taken/drawings';
  import { texts } from '$lib/words';

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
  let failed = $state(false);
  let turn = $state(0);
  let drawnThisFrame = false;
  let wanted = false;

  $effect(() => {
    if (canvas) noteDrawing(canvas, draw, width, height);
  });

  $effect(() => {
    void turn;
    if (drawnThisFrame) {
      // A second change within a frame: drawn when the next one begins.
      wanted = true;
      return;
    }
    const ctx = canvas?.getContext('2d');
    if (!canvas || !ctx || width < 1 || height < 1) return;
    drawnThisFrame = true;
    requestAnimationFrame(() => {
      drawnThisFrame = false;
      if (wanted) turn++;
      wanted = false;
    });
    paint(ctx, canvas);
  });

  function paint(ctx: CanvasRenderingContext2D, own: HTMLCanvasElement): void {
    const ratio = window.devicePixelRatio || 1;
    const w = Math.round(width * ratio);
    const h = Math.round(height * ratio);
    if (own.width !== w) own.width = w;
    if (own.height !== h) own.height = h;
    ctx.setTransform(ratio, 0, 0, ratio, 0, 0);
    ctx.clearRect(0, 0, width, height);
    try {
      draw(ctx, width, height);
      failed = false;
    } catch (error) {
      failed = true;
      console.error(error);
    }
  }
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
{#if failed}<span class="failed" role="alert">{texts.notDrawn}</span>{/if}

<style>
  canvas {
    display: block;
    transform-origin: 0 0;
  }
  .failed {
    position: absolute;
    inset: 0 auto auto 4px;
    font-size: 12px;
    color: var(--loss-text, inherit);
  }
</style>
