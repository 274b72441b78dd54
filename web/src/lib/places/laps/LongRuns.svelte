<!-- Long runs: stints over each other by lap of the stint, their means over windows, and how the pace falls off. -->
<script lang="ts">
  import { createQuery, keepPreviousData } from '@tanstack/svelte-query';
  import { SvelteSet } from 'svelte/reactivity';
  import { api, done, type Stint } from '$lib/api/client';
  import { keys } from '$lib/api/keys';
  import { clockOf } from '$lib/laps/sheet';
  import { driverColour } from '$lib/draw/colours';
  import { mode } from '$lib/draw/mode.svelte';
  import { ticks } from '$lib/draw/trace';
  import { savePicture } from '$lib/draw/taken/ours';
  import { watchUnit } from '$lib/laps/watch';
  import { figure, lapTime } from '$lib/quantities/units';
  import { present } from '$lib/session/present.svelte';
  import StintSheet from '$lib/places/laps/StintSheet.svelte';
  import Trouble from '$lib/parts/Trouble.svelte';
  import { texts } from '$lib/words';

  interface Props {
    event: number;
    driver: number | null;
    windows: string;
    may: boolean;
    onwindows: (text: string) => void;
  }
  let { event, driver, windows, may, onwindows }: Props = $props();

  const t = texts.laps;
  const HEIGHT = 250;
  const LEFT = 62;
  const BELOW = 22;
  let width = $state(0);
  /** what is hidden rather than what is shown, so that a stint that comes later is seen */
  const hidden = new SvelteSet<string>();
  const pair = new SvelteSet<string>();
  const two = $derived(pair.size === 2 ? [...pair] : []);

  let clean = $state(true);
  let saying = $state<string | null>(null);
  let svg = $state<SVGSVGElement>();

  const stints = createQuery(() => ({
    queryKey: keys.stints({ event, windows, clean, two }),
    queryFn: ({ signal }) =>
      done(
        api.GET('/api/stints', {
          params: {
            query: {
              event,
              windows,
              clean,
              ...(two.length ? { first: two[0] ?? '', second: two[1] ?? '' } : {}),
            },
          },
          signal,
        }),
      ),
    placeholderData: keepPreviousData,
    staleTime: 0,
  }));
  const all = $derived(
    (stints.data?.stints ?? []).filter((stint) => driver === null || stint.driver.id === driver),
  );
  const shown = $derived(all.filter((stint) => !hidden.has(stint.key)));
  const sizes = $derived([...new Set(all.flatMap((stint) => stint.quickest.map((window) => window.laps)))]);

  const name = (stint: Stint): string => {
    const own = all.filter((other) => other.driver.id === stint.driver.id).length;
    return own > 1 ? `${stint.driver.name}, ${t.stint(stint.number)}` : stint.driver.name;
  };

  const most = $derived(Math.max(2, ...shown.map((stint) => stint.laps.length)));
  const range = $derived.by((): [number, number] => {
    const times = shown.flatMap((stint) => stint.laps.filter((lap) => lap.counts).map((lap) => lap.time_s));
    if (!times.length) return [0, 1];
    const [low, high] = [Math.min(...times), Math.max(...times)];
    return [low - 0.05 * (high - low) - 0.05, high + 0.05 * (high - low) + 0.05];
  });
  const x = (index: number) => LEFT + (index / (most - 1)) * Math.max(width - LEFT - 16, 10);
  const y = (time: number) => 6 + ((range[1] - time) / (range[1] - range[0])) * (HEIGHT - BELOW - 12);
  const marks = $derived(ticks(range[0], range[1], 5));

  function path(stint: Stint): string {
    let down = false;
    return stint.laps
      .map((lap, i) => {
        if (!lap.counts) {
          down = false;
          return '';
        }
        const step = `${down ? 'L' : 'M'}${x(i).toFixed(1)} ${y(lap.time_s).toFixed(1)}`;
        down = true;
        return step;
      })
      .join('');
  }

  function pace(stint: Stint): string {
    const change = stint.fall_off;
    if (!change) return '';
    const { begins, after_s } = change;
    if (begins !== null && after_s !== null) {
      const text = Math.abs(after_s).toFixed(2);
      return after_s > 0 ? t.fallsFrom(begins + 1, text) : t.gainsFrom(begins + 1, text);
    }
    if (!change.clear) return t.even;
    const [size, unsure] = [Math.abs(change.per_lap_s), (change.high_s - change.low_s) / 2];
    return (change.per_lap_s > 0 ? t.slower : t.faster)(size.toFixed(3), unsure.toFixed(3));
  }

  const said = $derived.by((): string => {
    const apart = stints.data?.difference;
    const [first, second] = two.map((key) => all.find((stint) => stint.key === key));
    if (!apart || !first || !second) return t.twoHelp;
    const [size, unsure] = [Math.abs(apart.total_s), 2 * apart.total_u_s];
    const words = [size.toFixed(2), unsure.toFixed(2)] as const;
    if (size <= unsure) return t.levelOver(name(first), name(second), apart.laps, ...words);
    return apart.total_s > 0
      ? t.between(name(second), name(first), ...words, apart.laps)
      : t.between(name(first), name(second), ...words, apart.laps);
  });

  function beside(key: string, on: boolean): void {
    if (!on) pair.delete(key);
    else {
      // Of three the one that was chosen first gives way.
      if (pair.size === 2) pair.delete([...pair][0] ?? '');
      pair.add(key);
    }
  }

  const said_of = (stint: Stint): string => {
    const temperature = watchUnit('temperature', present.units);
    const warm = (value: number) => `${figure(value, temperature)} ${temperature.label}`;
    return [
      stint.tried?.replace(/\.$/, ''),
      stint.tyres,
      stint.ambient_k === null ? '' : texts.stint.air(warm(stint.ambient_k)),
      stint.track_k === null ? '' : texts.stint.track(warm(stint.track_k)),
      stint.fuel_used_m3 !== null
        ? texts.stint.fuel(`${(stint.fuel_used_m3 * 1000).toFixed(1)} l`)
        : stint.fuel_used_share !== null
          ? texts.stint.fuel(`${(stint.fuel_used_share * 100).toFixed(0)} %`)
          : '',
    ]
      .filter(Boolean)
      .join('; ');
  };

  /** lap by lap, the second of the two against the first, over laps that count in both */
  const apart = $derived.by(() => {
    const [first, second] = two.map((key) => all.find((stint) => stint.key === key));
    if (!first || !second) return [];
    return first.laps.flatMap((lap, i) => {
      const other = second.laps[i];
      return lap.counts && other?.counts ? [{ i, by: other.time_s - lap.time_s }] : [];
    });
  });
  const widest = $derived(Math.max(0.1, ...apart.map((item) => Math.abs(item.by))));

  const mean = (stint: Stint, laps: number, kind: 'quickest' | 'in_a_row') =>
    lapTime(stint[kind].find((window) => window.laps === laps)?.mean_s ?? null);
</script>

{#if stints.error}
  <Trouble error={stints.error} again={() => void stints.refetch()} />
{:else if stints.data && !all.length}
  <p class="none">{t.noStints}</p>
{:else if stints.data}
  <p class="said" role="status">{said}</p>
  <div class="picture" bind:clientWidth={width}>
    <svg bind:this={svg} {width} height={HEIGHT} role="img" aria-label={t.stintPicture}>
      {#each marks as mark (mark)}
        <line class="rule" x1={LEFT} x2={width} y1={y(mark)} y2={y(mark)} />
        <text x={LEFT - 8} y={y(mark)} text-anchor="end" class="figure">{lapTime(mark)}</text>
      {/each}
      {#each Array(most).keys() as i (i)}
        {#if most < 16 || i % 5 === 4 || i === 0}
          <text x={x(i)} y={HEIGHT - 6} text-anchor="middle" class="figure">{i + 1}</text>
        {/if}
      {/each}
      {#each shown as stint (stint.key)}
        {@const colour = driverColour(stint.driver.colour, mode.dark)}
        {@const faint = two.length === 2 && !two.includes(stint.key)}
        <g opacity={faint ? 0.25 : stint.number > 1 ? 0.7 : 1}>
          <path d={path(stint)} stroke={colour} stroke-width={two.includes(stint.key) ? 2.6 : 1.5} />
          {#each stint.laps as lap, i (lap.key)}
            {#if lap.held}
              <circle
                class="held"
                cx={x(i)}
                cy={Math.min(Math.max(y(lap.time_s), 5), HEIGHT - BELOW)}
                r="3"
                stroke={colour}
                ><title>{name(stint)}, {t.lap} {lap.number}: {lapTime(lap.time_s)}, {t.held}</title></circle
              >
            {:else if lap.counts}
              <circle cx={x(i)} cy={y(lap.time_s)} r="3" fill={colour}
                ><title>{name(stint)}, {t.lap} {lap.number}: {lapTime(lap.time_s)}</title></circle
              >
            {/if}
          {/each}
        </g>
      {/each}
    </svg>
    {#if apart.length}
      <svg {width} height={70} role="img" aria-label={t.lapByLap}>
        <line class="rule" x1={LEFT} x2={width} y1={35} y2={35} />
        <text x={0} y={8}>{t.lapByLap}</text>
        {#each apart as item (item.i)}
          <rect
            class={item.by > 0 ? 'slower' : 'quicker'}
            x={x(item.i) - 5}
            width="10"
            y={item.by > 0 ? 35 - (item.by / widest) * 30 : 35}
            height={Math.max(1, (Math.abs(item.by) / widest) * 30)}
            ><title>{t.lap} {item.i + 1}: {item.by > 0 ? '+' : '−'}{Math.abs(item.by).toFixed(2)} s</title
            ></rect
          >
        {/each}
      </svg>
    {/if}
  </div>
  <div class="take">
    <label><input type="checkbox" bind:checked={clean} />{t.clean}</label>
    <a class="may" href="/api/stints/file?event={event}&windows={windows}&clean={clean}" download
      >{texts.stint.file}</a
    >
    <button type="button" class="may" onclick={() => svg && savePicture(svg, 'long-runs')}
      >{texts.stint.picture}</button
    >
  </div>
  <div class="scroll">
    <table>
      <thead>
        <tr>
          <th scope="col"></th>
          <th scope="col">{t.driver}</th>
          <th scope="col" class="number">{t.laps}</th>
          <th scope="col" class="number">{t.mean}</th>
          {#each sizes as size (size)}
            <th scope="col" class="number">{t.quickest(size)}</th>
            <th scope="col" class="number">{t.inARow(size)}</th>
          {/each}
          <th scope="col">{t.pace}</th>
        </tr>
      </thead>
      <tbody>
        {#each all as stint (stint.key)}
          <tr>
            <td>
              <input
                type="checkbox"
                aria-label={t.chooseStint(name(stint))}
                checked={pair.has(stint.key)}
                onchange={(e) => beside(stint.key, e.currentTarget.checked)}
              />
            </td>
            <th scope="row" title={[stint.tyres, stint.conditions, stint.notes].filter(Boolean).join(', ')}>
              <button
                type="button"
                class:off={hidden.has(stint.key)}
                onclick={() => (hidden.has(stint.key) ? hidden.delete(stint.key) : hidden.add(stint.key))}
              >
                <span class="dot" style:background={driverColour(stint.driver.colour, mode.dark)}
                ></span>{name(stint)}<span class="muted">{clockOf(stint.started_at)}</span></button
              >
            </th>
            <td class="number figure">{stint.laps.filter((lap) => lap.counts).length}</td>
            <td class="number figure">{lapTime(stint.mean_s)}</td>
            {#each sizes as size (size)}
              <td class="number figure">{mean(stint, size, 'quickest')}</td>
              <td class="number figure">{mean(stint, size, 'in_a_row')}</td>
            {/each}
            <td>{pace(stint)}</td>
          </tr>
          <tr class="told">
            <td></td>
            <td colspan={4 + 2 * sizes.length}>
              {said_of(stint)}
              {#if may}
                <button type="button" class="say" onclick={() => (saying = stint.key)}
                  >{texts.stint.say}</button
                >
              {/if}
            </td>
          </tr>
        {/each}
      </tbody>
    </table>
  </div>
  <label class="windows">
    <span class="muted">{t.windows}</span>
    <input
      class="input figure"
      value={windows.replaceAll(',', ', ')}
      title={t.windowsHelp}
      onchange={(e) => {
        const sizes = (e.currentTarget.value.match(/\d{1,3}/g) ?? []).slice(0, 6);
        if (sizes.length) onwindows(sizes.join(','));
        else e.currentTarget.value = windows.replaceAll(',', ', ');
      }}
    />
  </label>
  {#if saying}
    {@const own = all.find((stint) => stint.key === saying)}
    {#if own}<StintSheet stint={own} name={name(own)} onclose={() => (saying = null)} />{/if}
  {/if}
{/if}

<style>
  .held {
    fill: var(--paper);
    stroke-width: 1.5;
  }
  .told td {
    padding-left: 0;
    white-space: normal;
    color: var(--muted);
    font-size: 12px;
  }
  .take label {
    display: flex;
    gap: 6px;
    align-items: center;
    font-size: 12px;
  }
  .take input {
    accent-color: var(--accent);
  }
  .take {
    display: flex;
    gap: 8px;
    margin-top: 4px;
  }
  .take .may {
    min-height: 26px;
    padding: 0 8px;
    font-size: 12px;
  }
  .say {
    text-decoration: underline dotted;
    cursor: pointer;
    color: var(--muted);
    font-size: 12px;
  }
  .slower {
    fill: var(--loss);
  }
  .quicker {
    fill: var(--gain);
  }
  .none {
    padding: 40px 0;
    font-size: 15px;
  }
  .said {
    margin-bottom: 6px;
    font-weight: 560;
  }
  svg {
    display: block;
  }
  svg text {
    fill: var(--muted);
    dominant-baseline: central;
  }
  .rule {
    stroke: var(--rule);
  }
  path {
    fill: none;
    stroke-linejoin: round;
  }
  .scroll {
    overflow-x: auto;
    margin-top: 8px;
  }
  table {
    border-collapse: collapse;
    font-size: 13px;
    width: 100%;
  }
  th,
  td {
    padding: 3px 12px 3px 0;
    white-space: nowrap;
    text-align: left;
    border-bottom: 1px solid var(--rule);
  }
  thead th {
    color: var(--muted);
    font-weight: 520;
    font-size: 12px;
  }
  th.number,
  td.number {
    text-align: right;
  }
  tbody th button {
    display: flex;
    align-items: center;
    gap: 8px;
    cursor: pointer;
    font-weight: 600;
    max-width: 230px;
    overflow: hidden;
    text-overflow: ellipsis;
  }
  tbody th .off {
    opacity: 0.45;
    text-decoration: line-through;
  }
  tbody th .muted {
    font-weight: 440;
    font-size: 12px;
  }
  .dot {
    flex: none;
    width: 8px;
    height: 8px;
    border-radius: 4px;
  }
  td:last-child {
    white-space: normal;
    min-width: 150px;
  }
  input[type='checkbox'] {
    accent-color: var(--accent);
  }
  .windows {
    display: inline-grid;
    font-size: 11px;
    margin: 10px 0 20px;
  }
  .windows .input {
    width: 140px;
    min-height: 28px;
    padding: 2px 8px;
    font-size: 12px;
  }
</style>
