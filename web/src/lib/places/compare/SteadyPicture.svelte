<!-- Where the chosen lap's driver is steady: the spread of time and technique in every passage along the lap. -->
<script lang="ts">
  import { createQuery, keepPreviousData } from '@tanstack/svelte-query';
  import { api, done, type SteadyPassage } from '$lib/api/client';
  import { keys } from '$lib/api/keys';
  import { called } from '$lib/desk/called';
  import { shortName } from '$lib/desk/corners';
  import type { Desk } from '$lib/desk/desk.svelte';
  import { nameInk } from '$lib/draw/inks';
  import { mode } from '$lib/draw/mode.svelte';
  import { figureOf, rowsOf, sentenceOf, TIME, type Cell, type Row } from '$lib/desk/steady';
  import SteadySign from '$lib/places/compare/SteadySign.svelte';
  import Behind from '$lib/parts/Behind.svelte';
  import Trouble from '$lib/parts/Trouble.svelte';
  import { registry } from '$lib/quantities/registry.svelte';
  import { figure, signed, unitOf } from '$lib/quantities/units';
  import { present } from '$lib/session/present.svelte';
  import { texts } from '$lib/words';

  let { desk }: { desk: Desk } = $props();

  const t = texts.compare.pictures.steady;
  const lap = $derived(desk.chosenLap);
  const own = $derived(lap && !lap.made ? lap.curves : '');
  const base = $derived(desk.reference?.curves ?? '');
  const asked = createQuery(() => ({
    queryKey: keys.steady(own, base),
    queryFn: ({ signal }) =>
      done(api.GET('/api/steady', { params: { query: { laps: own, reference: base } }, signal })),
    enabled: own !== '' && base !== '',
    placeholderData: keepPreviousData,
  }));
  const found = $derived(own ? asked.data : undefined);
  const time = $derived(unitOf('time', present.units));
  const rows = $derived<Row[]>(found ? rowsOf(found, registry.figures, present.units) : []);
  const sentence = $derived(found ? sentenceOf(found, registry.figures, present.units) : '');
  /** Corners of a passage, as bars name them. */
  const places = (name: string): string =>
    (desk.passages.find((passage) => passage.name === name)?.corners ?? []).map(shortName).join(', ') || name;

  function show(name: string): void {
    const passage = desk.passages.find((one) => one.name === name);
    if (passage) desk.choosePassage(passage);
  }

  const says = (row: Row, cell: Cell): string =>
    t.spread(
      row.label,
      cell.where,
      figure(cell.value, row.unit, row.digits),
      figure(cell.low, row.unit, row.digits),
      figure(cell.high, row.unit, row.digits),
      row.unit.label,
      cell.laps,
    );
  /** Whether the time changes over the run, and laps that stand alone. */
  const further = (one: SteadyPassage | undefined): string =>
    [
      one?.slope_clear ? t.trend(signed(one.slope_s, time, 3)) : '',
      one?.apart.length ? t.apart(one.apart.join(', ')) : '',
    ]
      .filter(Boolean)
      .join('; ');
  const judged = (one: SteadyPassage): string =>
    one.fast === null || one.steady === null
      ? ''
      : `${t.judged(one.fast, one.steady)}${one.fast_sure && one.steady_sure ? '' : ` (${t.perhaps})`}`;
</script>

{#if lap?.made}
  <p class="muted">{t.made}</p>
{:else if asked.error}
  <Trouble error={asked.error} again={() => void asked.refetch()} />
{:else if !found || !lap}
  <p class="muted waiting" role="status">{texts.loading}</p>
{:else}
  <p class="said">
    <span class="name" style:color={nameInk(lap, mode.dark)}>{t.of(called(lap).name, found.laps)}</span>
    {#if found.laps < 3}{t.tooFew}{:else}{sentence}{/if}
  </p>
  <div class="picture">
    <table>
      <thead>
        <tr>
          <th scope="col"><span class="muted">{t.hint}</span></th>
          {#each found.passages as one (one.name)}
            <th scope="col" class:chosen={desk.part?.passage === one.name}
              ><button
                type="button"
                class="corner"
                aria-pressed={desk.part?.passage === one.name}
                onclick={() => show(one.name)}>{places(one.name)}</button
              ></th
            >
          {/each}
        </tr>
      </thead>
      <tbody>
        <tr>
          <th scope="row">{t.rows.judged}</th>
          {#each found.passages as one (one.name)}
            <td class="judged" class:chosen={desk.part?.passage === one.name} title={judged(one)}>
              {#if one.fast !== null && one.steady !== null}
                <SteadySign fast={one.fast} steady={one.steady} sure={one.fast_sure && one.steady_sure} />
                <span class="words">{judged(one)}</span>
              {/if}
            </td>
          {/each}
        </tr>
        <tr>
          <th scope="row"
            >{t.rows.lost}, {time.label}<span class="muted"
              >{t.against[found.passages[0]?.against ?? '']}</span
            ></th
          >
          {#each found.passages as one (one.name)}
            <td
              class="figure"
              class:chosen={desk.part?.passage === one.name}
              title={one.loss_u_s === null
                ? undefined
                : `± ${figure(2 * one.loss_u_s, time)} ${time.label}, ${t.level(figure(one.level_s, time))}`}
              >{one.loss_s === null ? '' : signed(one.loss_s, time)}</td
            >
          {/each}
        </tr>
        {#each rows as row (row.code)}
          <tr class="bars">
            <th scope="row">{t.rows[row.code] ?? row.label}{row.unit.label ? `, ${row.unit.label}` : ''}</th>
            {#each row.cells as cell, i (i)}
              {@const one = found.passages[i]}
              <td
                class:chosen={desk.part?.passage === one?.name}
                title={cell
                  ? [says(row, cell), row.code === TIME ? further(one) : ''].filter(Boolean).join('; ')
                  : undefined}
              >
                {#if cell}
                  <span class="bar" aria-hidden="true"
                    ><span class="range" style:bottom="{cell.from}%" style:height="{cell.to - cell.from}%"
                    ></span><span
                      class="size"
                      class:loose={row.code === TIME
                        ? one?.steady === false
                        : figureOf(one, row.code, cell.where)}
                      style:height="{cell.share}%"
                    ></span></span
                  ><span class="figure">{figure(cell.value, row.unit, row.digits)}</span>
                {/if}
              </td>
            {/each}
          </tr>
        {/each}
      </tbody>
    </table>
  </div>
  <p class="legend muted">{t.legend}</p>
  <Behind label={t.all}>
    {#snippet head()}
      <tr>
        <th scope="col">{t.figure}</th>
        {#each found.passages as one (one.name)}
          {#each one.corners as corner (corner.corner)}<th scope="col" class="num">{corner.corner}</th>{/each}
        {/each}
      </tr>
    {/snippet}
    {#snippet rows()}
      {#each registry.figures.filter( (entry) => found.passages.some( (one) => one.corners.some((corner) => corner.figures[entry.code]) ) ) as entry (entry.code)}
        {@const unit = { ...unitOf(entry.quantity as 'time', present.units), offset: 0 }}
        <tr>
          <th scope="row">{entry.label}{unit.label ? `, ${unit.label}` : ''}</th>
          {#each found.passages as one (one.name)}
            {#each one.corners as corner (corner.corner)}
              {@const spread = corner.figures[entry.code]}
              <td class="num figure"
                >{spread
                  ? `${figure(spread.value, unit, Math.max(unit.digits, 1))} (${figure(spread.low, unit, Math.max(unit.digits, 1))}–${figure(spread.high, unit, Math.max(unit.digits, 1))})`
                  : ''}</td
              >
            {/each}
          {/each}
        </tr>
      {/each}
    {/snippet}
  </Behind>
{/if}

<style>
  .waiting {
    height: 300px;
  }
  .said {
    margin: 6px 0;
  }
  .name {
    font-weight: 640;
  }
  .picture {
    overflow-x: auto;
    padding-bottom: 6px;
  }
  table {
    border-collapse: collapse;
    font-stretch: 88%;
  }
  th,
  td {
    padding: 1px 6px;
    text-align: left;
    font-weight: 440;
    font-size: 12.5px;
    vertical-align: bottom;
  }
  .picture td,
  .picture thead th {
    min-width: 66px;
    border-left: 1px solid var(--rule);
  }
  .picture thead th:first-child {
    border-left: 0;
    max-width: 150px;
    font-size: 11px;
  }
  .picture tbody th {
    position: sticky;
    left: 0;
    background: var(--sheet);
    max-width: 150px;
  }
  .picture tbody th .muted {
    display: block;
    font-size: 11px;
  }
  .picture tbody tr {
    border-top: 1px solid var(--rule);
  }
  .chosen {
    background: var(--strip);
  }
  .corner {
    min-height: 24px;
    min-width: 24px;
    font-weight: 640;
    text-align: left;
    cursor: pointer;
  }
  .words {
    display: block;
    font-size: 11px;
    line-height: 13px;
    max-width: 72px;
  }
  .bars td {
    height: 32px;
    white-space: nowrap;
  }
  .bar {
    position: relative;
    display: inline-block;
    width: 9px;
    height: 28px;
    margin-right: 5px;
    vertical-align: bottom;
  }
  .size {
    position: absolute;
    bottom: 0;
    left: 0;
    width: 9px;
    min-height: 1px;
    background: var(--muted);
  }
  .size.loose {
    background: var(--loss-text);
  }
  .range {
    position: absolute;
    left: 11px;
    width: 1.5px;
    background: var(--muted);
  }
  .legend {
    font-size: 12px;
    margin: 4px 0;
    max-width: 100ch;
  }
</style>
