<!-- Driving the laps of the line-up again: halt, step, pace, loop, and who is where now. -->
<script lang="ts">
  import { Pause, Play, Repeat, Crosshair, StepBack, StepForward, X } from '@lucide/svelte';
  import { PACES, STEP_S, type Playing } from '$lib/desk/playing.svelte';
  import { texts } from '$lib/words';

  let { playing }: { playing: Playing } = $props();

  const t = texts.compare.playing;
  /** Longer than that nobody was looking: a page that comes to the front again goes on, it does not jump. */
  const LONGEST_MS = 250;

  $effect(() => {
    if (!playing.on) return;
    let before = performance.now();
    let frame = requestAnimationFrame(function next(now: number) {
      playing.go((Math.min(now - before, LONGEST_MS) / 1000) * playing.pace);
      before = now;
      frame = requestAnimationFrame(next);
    });
    return () => cancelAnimationFrame(frame);
  });
</script>

<div class="tool-bar" data-apart role="group" aria-label={t.title}>
  <button
    type="button"
    class="tool"
    aria-label={playing.on ? t.halt : t.play}
    title="{playing.on ? t.halt : t.play} (k)"
    onclick={() => playing.toggle()}
    >{#if playing.on}<Pause size={15} />{:else}<Play size={15} />{/if}</button
  >
  <button type="button" class="tool" aria-label={t.back} title={t.back} onclick={() => playing.go(-STEP_S)}
    ><StepBack size={14} /></button
  >
  <button type="button" class="tool" aria-label={t.on} title={t.on} onclick={() => playing.go(STEP_S)}
    ><StepForward size={14} /></button
  >
  <select class="select" aria-label={t.pace} title={t.pace} bind:value={playing.pace}>
    {#each PACES as pace (pace)}<option value={pace}>{t.times(pace)}</option>{/each}
  </select>
  <select class="select" aria-label={t.by} title={t.by} bind:value={playing.by}>
    <option value="time">{t.byTime}</option>
    <option value="place">{t.byPlace}</option>
  </select>
  <button
    type="button"
    class="tool"
    aria-label={t.loop}
    title={t.loop}
    aria-pressed={playing.loop}
    onclick={() => (playing.loop = !playing.loop)}><Repeat size={14} /></button
  >
  <button
    type="button"
    class="tool"
    aria-label={t.follow}
    title={t.follow}
    aria-pressed={playing.follow}
    onclick={() => (playing.follow = !playing.follow)}><Crosshair size={14} /></button
  >
  {#if playing.cut}<span class="muted cut">{t.cut}</span>{/if}
  {#if playing.clock !== null}
    <span class="figure clock">{playing.clock.toFixed(1)} s</span>
    <button type="button" class="tool" aria-label={t.end} title={t.end} onclick={() => playing.stop()}
      ><X size={14} /></button
    >
  {/if}
</div>

<style>
  .tool-bar {
    margin-top: 4px;
    gap: 2px 4px;
  }
  .cut {
    font-size: 12px;
  }
  .clock {
    min-width: 6ch;
    text-align: right;
    font-size: 12px;
  }
</style>
