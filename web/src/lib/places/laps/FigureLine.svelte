<!-- One figure lap by lap, the runs one after the other, each in its driver's colour. -->
<script lang="ts">
  import type { Watch } from '$lib/api/client';
  import { driverColour } from '$lib/draw/colours';
  import { mode } from '$lib/draw/mode.svelte';
  import { lines, rangeOf } from '$lib/laps/watch';
  import { figure, type Unit } from '$lib/quantities/units';
  import { texts } from '$lib/words';

  interface Props {
    watch: Watch;
    column: number;
    label: string;
    unit: Unit;
    limits: number[];
    present: string | null;
    onlap: (key: string) => void;
  }
  let { watch, column, label, unit, limits, present, onlap }: Props = $props();
  const HEIGHT = 44;
  let width = $state(0);
  const found = $derived(lines(watch, column));
  const all = $derived(found.flatMap((line) => line.points.map((point) => point.value)));
  const range = $derived(all.length ? rangeOf(all) : ([0, 1] as [number, number]));
  const seen = $derived(limits.filter((limit) => limit >= range[0] && limit <= range[1]));
  /** laps and a gap after each run */
  const steps = $derived(Math.max(1, all.length + found.length - 2));
  const y = (value: number) => 3 + ((range[1] - value) / (range[1] - range[0])) * (HEIGHT - 6);
  const drawn = $derived.by(() => {
    let at = 0;
    return found.map((line) => {
      const own = line.points.map((point) => {
        const x = 2 + (at / steps) * Math.max(width - 4, 1);
        at += 1;
        return { key: point.lap.key, x, y: y(point.value), value: point.value, number: point.lap.number };
      });
      at += 1;
      const run = watch.runs.find((item) => item.id === line.run);
      return { run: line.run, name: run?.driver.name ?? '', colour: run?.driver.colour ?? 0, points: own };
    });
  });
  const said = $derived(
    all.length ? `${figure(Math.min(...all), unit)} … ${figure(Math.max(...all), unit)}` : '–',
  );
</script>

<figure bind:clientWidth={width}>
  <figcaption><span>{label}</span><span class="muted figure">{said}</span></figcaption>
  <svg {width} height={HEIGHT} role="img" aria-label={texts.watch.line(label)}>
    {#each seen as limit (limit)}<line class="limit" x1="0" x2={width} y1={y(limit)} y2={y(limit)} />{/each}
    {#each drawn as line (line.run)}
      <polyline
        points={line.points.map((p) => `${p.x.toFixed(1)},${p.y.toFixed(1)}`).join(' ')}
        style:stroke={driverColour(line.colour, mode.dark)}
      />
      {#each line.points as point (point.key)}
        <circle
          cx={point.x}
          cy={point.y}
          r={present === point.key ? 4 : 2}
          style:fill={driverColour(line.colour, mode.dark)}
          role="presentation"
          onclick={() => onlap(point.key)}
          ><title
            >{line.name}, {texts.watch.lap} {point.number}: {figure(point.value, unit)} {unit.label}</title
          ></circle
        >
      {/each}
    {/each}
  </svg>
</figure>

<style>
  figure {
    margin: 0;
    min-width: 0;
  }
  figcaption {
    display: flex;
    justify-content: space-between;
    gap: 6px;
    font-size: 11px;
    white-space: nowrap;
    overflow: hidden;
  }
  svg {
    display: block;
    border-bottom: 1px solid var(--rule);
  }
  polyline {
    fill: none;
    stroke-width: 1.4;
  }
  circle {
    cursor: pointer;
  }
  .limit {
    stroke: var(--ink);
    stroke-dasharray: 4 3;
  }
</style>
