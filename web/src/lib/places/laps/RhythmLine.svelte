<!-- A dot for each lap of a driver in the order of time: quick ones high, set aside hollow, the own band behind. -->
<script lang="ts">
  import type { Group } from '$lib/laps/sheet';
  import { driverColour } from '$lib/draw/colours';
  import { mode } from '$lib/draw/mode.svelte';
  import { lapTime } from '$lib/quantities/units';
  import { texts } from '$lib/words';

  interface Props {
    group: Group;
    chosen: ReadonlySet<string>;
    /** fastest and slowest time on the scale, the same for all drivers */
    range: [number, number];
    width: number;
    onpoint: (key: string) => void;
  }
  let { group, chosen, range, width, onpoint }: Props = $props();

  const t = texts.laps;
  const HEIGHT = 42;
  const EDGE = 7;
  const GAP = 14;
  const laps = $derived(group.runs.flatMap((run) => run.laps.filter((lap) => lap.time_s !== null)));
  const step = $derived(
    Math.min(20, (width - 2 * EDGE - GAP * (group.runs.length - 1)) / Math.max(laps.length - 1, 1)),
  );
  const y = (time: number) =>
    EDGE +
    Math.min(Math.max((time - range[0]) / Math.max(range[1] - range[0], 0.01), 0), 1) * (HEIGHT - 2 * EDGE);
  const dots = $derived.by(() => {
    let x = EDGE;
    const found: { key: string; x: number; y: number; counts: boolean; held: boolean; label: string }[] = [];
    const wet: { x: number; width: number; label: string }[] = [];
    const borders: { x: number; fresh: string }[] = [];
    let last: string | null = null;
    for (const run of group.runs) {
      const timed = run.laps.filter((lap) => lap.time_s !== null);
      if (found.length && timed.length) {
        // what is not said of one of two runs is no change
        const fresh = last && run.tyres && run.tyres !== last ? t.tyresChanged(last, run.tyres) : '';
        borders.push({ x: x - step / 2 + GAP / 2, fresh });
        x += GAP;
      }
      if (timed.length) last = run.tyres ?? last;
      const begin = x;
      for (const lap of timed) {
        const why =
          (lap.set_aside ? `, ${t.aside[lap.set_aside] ?? lap.set_aside}` : '') +
          (lap.held.length ? `, ${t.held}` : '');
        found.push({
          key: lap.key,
          x,
          y: y(lap.time_s ?? 0),
          counts: !lap.set_aside,
          held: lap.held.length > 0,
          label: `${t.lap} ${lap.number}, ${lapTime(lap.time_s)}${why}`,
        });
        x += step;
      }
      if (timed.length && (run.conditions === 'damp' || run.conditions === 'wet'))
        wet.push({ x: begin - step / 2, width: x - begin, label: run.conditions });
    }
    return { found, borders, wet };
  });
  /** half of the laps that count lie in it */
  const band = $derived.by(() => {
    const own = laps.filter((lap) => !lap.set_aside).map((lap) => lap.time_s ?? 0);
    if (own.length < 4) return null;
    own.sort((a, b) => a - b);
    const at = (share: number) => own[Math.round(share * (own.length - 1))] ?? 0;
    return [y(at(0.25)), y(at(0.75))] as const;
  });
  const colour = $derived(driverColour(group.driver.driver.colour, mode.dark));
</script>

<svg {width} height={HEIGHT} role="img" aria-label={t.rhythmOf(group.driver.driver.name)}>
  {#each dots.wet as run (run.x)}
    <rect class="wet" x={run.x} y="0" width={run.width} height={HEIGHT}><title>{run.label}</title></rect>
  {/each}
  {#if band}<rect class="band" x="0" y={band[0]} {width} height={Math.max(band[1] - band[0], 1)} />{/if}
  {#each dots.borders as border (border.x)}
    <g class="border">
      {#if border.fresh}<title>{border.fresh}</title>{/if}
      <line x1={border.x} x2={border.x} y1={border.fresh ? 8 : 4} y2={HEIGHT - 4} />
      {#if border.fresh}<circle class="fresh" cx={border.x} cy="4" r="2.8" />{/if}
    </g>
  {/each}
  {#each dots.found as dot (dot.key)}
    <!-- svelte-ignore a11y_click_events_have_key_events, a11y_no_static_element_interactions -->
    <g onclick={() => onpoint(dot.key)}>
      <title>{dot.label}</title>
      <circle class="area" cx={dot.x} cy={dot.y} r="8" />
      <circle
        cx={dot.x}
        cy={dot.y}
        r={dot.key === group.driver.best_lap ? 5 : 3.6}
        fill={dot.counts ? colour : 'var(--sheet)'}
        stroke={chosen.has(dot.key) ? 'var(--ink)' : colour}
        stroke-width={chosen.has(dot.key) ? 2.4 : 1.4}
      />
      {#if dot.held}<line class="held" x1={dot.x - 4} x2={dot.x + 4} y1={dot.y - 6.5} y2={dot.y - 6.5} />{/if}
      {#if dot.key === group.driver.best_lap}
        <line class="best" x1={dot.x - 6} x2={dot.x + 6} y1={dot.y + 7.5} y2={dot.y + 7.5} />
      {/if}
    </g>
  {/each}
</svg>

<style>
  svg {
    display: block;
  }
  .band {
    fill: var(--strip);
  }
  .wet {
    fill: var(--band);
    opacity: 0.55;
  }
  .held {
    stroke: var(--muted);
    stroke-width: 1.5;
    stroke-dasharray: 2 1.5;
  }
  .border line {
    stroke: var(--rule);
  }
  .fresh {
    fill: none;
    stroke: var(--ink);
    stroke-width: 1.4;
  }
  .area {
    fill: transparent;
  }
  g:not(.border) {
    cursor: pointer;
  }
  .best {
    stroke: var(--ink);
    stroke-width: 1.5;
  }
</style>
