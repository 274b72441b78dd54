<!-- The whole lap as a thin bar while one is zoomed in: what is on show is framed, and can be moved. -->
<script lang="ts">
  import type { Desk } from '$lib/desk/desk.svelte';
  import { scaleOf } from '$lib/draw/scale';
  import { Minimize2 } from '@lucide/svelte';
  import { texts } from '$lib/words';
  import Strip from '$lib/score/Strip.svelte';

  interface Props {
    desk: Desk;
    full: number;
    left: number;
    width: number;
  }
  let { desk, full, left, width }: Props = $props();

  const scale = $derived(scaleOf([0, desk.length], width));
  const isReference = $derived(desk.chosen === desk.lineUp?.reference);
  const from = $derived(scale.x(desk.zoom[0]));
  const span = $derived(Math.max(6, scale.x(desk.zoom[1]) - from));
  let bar = $state<HTMLElement>();
  let held: number | null = null;

  function centre(event: PointerEvent): void {
    if (held === null || !bar) return;
    const place = scale.place(event.clientX - bar.getBoundingClientRect().left - held);
    desk.pan(place - desk.zoom[0]);
  }
</script>

<button
  type="button"
  class="back"
  style:max-width="{left - 8}px"
  aria-label={texts.compare.wholeLap}
  onclick={() => desk.whole()}
  ><Minimize2 size={13} />{#if left > 120}{texts.compare.wholeLap}{/if}</button
>
<div class="overview" style:margin-left="{left}px" style:width="{width}px" bind:this={bar}>
  <Strip
    rate={desk.chosen ? desk.curve(desk.chosen, 'sure_rate') : undefined}
    {scale}
    {full}
    height={8}
    reference={isReference}
  />
  <div
    class="window"
    role="slider"
    tabindex="0"
    aria-label={texts.compare.overview}
    aria-valuemin={0}
    aria-valuemax={Math.round(desk.length)}
    aria-valuenow={Math.round(desk.zoom[0])}
    style:left="{from}px"
    style:width="{span}px"
    onpointerdown={(event) => {
      held = event.clientX - (bar?.getBoundingClientRect().left ?? 0) - from;
      (event.currentTarget as HTMLElement).setPointerCapture(event.pointerId);
    }}
    onpointermove={centre}
    onpointerup={() => (held = null)}
    onpointercancel={() => (held = null)}
    onkeydown={(event) => {
      const by = event.key === 'ArrowLeft' ? -1 : event.key === 'ArrowRight' ? 1 : 0;
      if (!by) return;
      event.preventDefault();
      desk.pan(by * (desk.zoom[1] - desk.zoom[0]) * 0.1);
    }}
  ></div>
</div>

<style>
  .back {
    position: absolute;
    z-index: 4;
    display: flex;
    gap: 5px;
    align-items: center;
    height: 24px;
    padding: 0 6px;
    font-size: 12px;
    border-radius: 4px;
    color: var(--accent);
    cursor: pointer;
  }
  .back:hover {
    background: var(--strip);
  }
  .overview {
    position: relative;
    height: 26px;
    padding-top: 8px;
  }
  .window {
    position: absolute;
    top: 0;
    height: 24px;
    border: 1.5px solid var(--ink);
    border-radius: 2px;
    cursor: grab;
    touch-action: none;
  }
</style>
