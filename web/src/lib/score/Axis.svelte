<!-- The foot of the score: metres or seconds, sectors, and where the cursor is. -->
<script lang="ts">
  import { ArrowRightLeft } from '@lucide/svelte';
  import { valueAt } from '$lib/desk/curves';
  import type { Desk } from '$lib/desk/desk.svelte';
  import type { Scale } from '$lib/draw/scale';
  import { ticks } from '$lib/draw/trace';
  import { figure, signed, unitOf } from '$lib/quantities/units';
  import type { Measures } from '$lib/score/measures';
  import { present } from '$lib/session/present.svelte';
  import { texts } from '$lib/words';

  interface Props {
    desk: Desk;
    view: Scale;
    measures: Measures;
    inner: number;
    /** ends of the sectors, from 0 to the length */
    splits: number[];
  }
  let { desk, view, measures: m, inner, splits }: Props = $props();

  const t = texts.compare;
  const distance = $derived(unitOf('distance', present.units));
  /** Metres and seconds of the chosen lap between cursor and where one measures from. */
  const measured = $derived.by(() => {
    const { cursor, until, curves, chosenLap } = desk;
    if (cursor === null || until === null || !curves || !chosenLap) return '';
    const time = curves.of(chosenLap.curves, 'time');
    const seconds = time ? valueAt(curves.s, time, cursor) - valueAt(curves.s, time, until) : NaN;
    return t.measured(
      `${signed(cursor - until, distance)} ${distance.label}`,
      signed(seconds, unitOf('time', present.units)),
    );
  });

  /** Round places for the axis: metres in the person's unit, or seconds since the stretch began. */
  const marks = $derived.by(() => {
    const along = desk.along;
    const factor = along?.kind === 'time' ? 1 : distance.factor;
    const [low, high] = [view.from, view.to].map((step) => (along?.told(step) ?? step) * factor);
    return ticks(low ?? 0, high ?? 1, Math.max(2, Math.floor(inner / 90))).map((mark) => ({
      text: along?.kind === 'time' ? seconds(mark) : String(mark),
      x: ((along?.step(mark / factor) ?? mark / factor) - view.from) * view.perStep,
    }));
  });
  const seconds = (value: number): string => String(Number(value.toFixed(2))).replace('-', '−');
  /** What the cursor says of its place. */
  const here = $derived.by(() => {
    const { cursor, along } = desk;
    if (cursor === null) return '';
    const place = `${figure(cursor, distance)} ${distance.label}`;
    const since =
      along?.kind === 'time' ? `${along.told(along.to(cursor)).toFixed(2).replace('-', '−')} s · ` : '';
    return `${since}${place}${measured ? ` · ${measured}` : ''}`;
  });
  const half = $derived(here.length * 3.6 + 8);
</script>

<div class="foot" style:padding-left="{m.names + m.axis}px" style:padding-right="{m.values}px">
  <button
    type="button"
    class="swap"
    data-apart
    style:max-width="{m.names + m.axis - 6}px"
    title={t.axis.hint}
    aria-pressed={desk.axis === 'time'}
    onclick={() => desk.swapAxis()}
    ><ArrowRightLeft size={13} />{#if m.names > 80}{desk.axis === 'time'
        ? t.axis.toDistance
        : t.axis.toTime}{/if}</button
  >
  <span class="muted unit" style:width="{m.values - 8}px">{desk.axis === 'time' ? 's' : distance.label}</span>
  <div class="axis">
    {#each marks as { text, x } (text)}
      {#if x > 6 && x < inner - 6}<span class="metre figure muted" style:left="{x}px">{text}</span>{/if}
    {/each}
  </div>
  <div class="sectors">
    {#each splits.slice(0, -1) as split, i (i)}
      {@const left = Math.max(0, view.x(split))}
      {@const right = Math.min(inner, view.x(splits[i + 1] ?? 0))}
      {#if right - left > 4}
        <span class="sector" style:left="{left}px" style:width="{right - left}px">
          {right - left > 70 ? t.sector(i + 1) : i + 1}
        </span>
      {/if}
    {/each}
    {#if desk.cursor !== null && view.x(desk.cursor) >= 0 && view.x(desk.cursor) <= inner}
      <span class="here figure" style:left="{Math.min(Math.max(view.x(desk.cursor), half), inner - half)}px"
        >{here}</span
      >
    {/if}
  </div>
</div>

<style>
  :global(.taken) .foot {
    position: relative !important;
    inset: auto !important;
  }
  .foot {
    position: sticky;
    bottom: 0;
    z-index: 3;
    background: var(--paper);
    margin-top: 4px;
  }
  .swap {
    position: absolute;
    left: 0;
    top: 8px;
    min-width: 24px;
    height: 24px;
    display: flex;
    align-items: center;
    gap: 5px;
    padding: 0 4px;
    overflow: hidden;
    white-space: nowrap;
    font-size: 12px;
    color: var(--muted);
    border-radius: 4px;
    cursor: pointer;
  }
  .swap:hover {
    background: var(--strip);
    color: var(--ink);
  }
  .unit {
    position: absolute;
    right: 0;
    top: 1px;
    font-size: 11px;
  }
  .axis {
    position: relative;
    height: 16px;
    border-top: 1px solid var(--rule);
    font-size: 11px;
  }
  .axis .metre {
    position: absolute;
    transform: translateX(-50%);
  }
  .sectors {
    position: relative;
    height: 24px;
  }
  .sector {
    position: absolute;
    top: 3px;
    text-align: center;
    font-size: 11px;
    color: var(--muted);
    border-left: 1px solid var(--muted);
    height: 16px;
  }
  .here {
    position: absolute;
    top: 2px;
    transform: translateX(-50%);
    padding: 1px 6px;
    border-radius: 3px;
    background: var(--accent);
    color: var(--on-accent);
    white-space: nowrap;
  }
</style>
