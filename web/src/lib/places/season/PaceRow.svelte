<!-- Pace from run to run: best, theoretical best, median and spread, quick ones high. -->
<script lang="ts">
  import type { SeasonRun } from '$lib/api/client';
  import { fitting, rangeOf, ticksOf, type Columns } from '$lib/places/season/columns';
  import { shortDay } from '$lib/quantities/dates.svelte';
  import { figure, lapTime, unitOf } from '$lib/quantities/units';
  import { texts } from '$lib/words';

  interface Props {
    runs: SeasonRun[];
    columns: Columns;
    colour: string;
    cars: Record<number, string>;
  }
  let { runs, columns, colour, cars }: Props = $props();

  const t = texts.season;
  const [HEIGHT, TOP, FOOT] = [176, 20, 8];
  /** with more runs the beginning is out of sight when the end is looked at */
  const MANY = 30;
  const time = unitOf('time', 'metric');
  const range = $derived(rangeOf(runs));
  const y = (seconds: number): number =>
    TOP + ((seconds - range[0]) / (range[1] - range[0])) * (HEIGHT - TOP - FOOT);
  const ticks = $derived(ticksOf(range));
  const said = (run: SeasonRun): string =>
    t.runLine(
      shortDay(run.day),
      lapTime(run.best_s),
      lapTime(run.theoretical_s),
      lapTime(run.median_s),
      figure(run.spread_s, time),
      run.laps,
      cars[run.trim] ?? '',
    );
</script>

<svg
  width={columns.width}
  height={HEIGHT}
  viewBox="0 0 {columns.width} {HEIGHT}"
  role="group"
  aria-label={t.pace}
>
  {#each ticks as tick (tick)}
    <line class="grid" x1="0" x2={columns.width} y1={y(tick)} y2={y(tick)} />
    <text class="tick" x="0" y={y(tick) - 3}>{lapTime(tick, 1)}</text>
    {#if runs.length > MANY}
      <text class="tick end" x={columns.width} y={y(tick) - 3}>{lapTime(tick, 1)}</text>
    {/if}
  {/each}
  {#each columns.days as each (each.x)}
    <text class="day" x={each.x} y="12">{shortDay(each.day)}</text>
  {/each}
  {#each columns.breaks as each (each.x)}
    <g>
      <title>{t.apart(each.differs.map((one) => t.differs[one]).join(', '))}</title>
      <line class="break" x1={each.x} x2={each.x} y1="16" y2={HEIGHT} />
      <text class="why" x={each.x + 4} y={HEIGHT - 2}
        >{fitting(
          each.differs.map((one) => t.differs[one] ?? one),
          each.room - 8,
        )}</text
      >
    </g>
  {/each}
  {#each runs as run (run.run)}
    {@const x = columns.at[run.run] ?? 0}
    {@const half = Math.min(columns.step * 0.3, 13)}
    <g role="img" aria-label={said(run)}>
      <title>{said(run)}</title>
      <rect class="hit" x={x - columns.step / 2} y="14" width={columns.step} height={HEIGHT - 14} />
      {#if run.median_s !== null && run.spread_s !== null}
        <rect
          class="spread"
          x={x - half}
          y={y(run.median_s - run.spread_s / 2)}
          width={2 * half}
          height={Math.max(y(run.median_s + run.spread_s / 2) - y(run.median_s - run.spread_s / 2), 2)}
        />
      {/if}
      {#if run.median_s !== null}
        <line class="stem" x1={x} x2={x} y1={y(run.theoretical_s ?? run.best_s)} y2={y(run.median_s)} />
        <line class="median" x1={x - half} x2={x + half} y1={y(run.median_s)} y2={y(run.median_s)} />
      {/if}
      {#if run.theoretical_s !== null}
        <line class="theory" x1={x - 4} x2={x + 4} y1={y(run.theoretical_s)} y2={y(run.theoretical_s)} />
      {/if}
      <circle cx={x} cy={y(run.best_s)} r="4" fill={colour} />
    </g>
  {/each}
</svg>

<style>
  svg {
    display: block;
  }
  .grid {
    stroke: var(--rule);
    stroke-width: 1;
  }
  .tick,
  .day,
  .why {
    font-size: 11px;
    fill: var(--muted);
  }
  .tick {
    font-family: var(--mono);
    font-stretch: 75%;
    font-size: 10px;
  }
  .tick.end {
    text-anchor: end;
  }
  .day {
    text-anchor: middle;
    fill: var(--ink);
  }
  .break {
    stroke: var(--field);
    stroke-width: 1.2;
    stroke-dasharray: 2 3;
  }
  .hit {
    fill: transparent;
  }
  g:hover > .hit {
    fill: var(--stretch);
  }
  .spread {
    fill: var(--band);
  }
  .stem,
  .theory {
    stroke: var(--muted);
    stroke-width: 1.2;
  }
  .median {
    stroke: var(--ink);
    stroke-width: 2.4;
  }
</style>
