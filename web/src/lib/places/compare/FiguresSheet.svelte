<!-- The card in depth: every figure of every lap in the passage or stretch, sorted by any of them. -->
<script lang="ts">
  import { createQuery, keepPreviousData } from '@tanstack/svelte-query';
  import { api, done } from '$lib/api/client';
  import { keys } from '$lib/api/keys';
  import { called, inFull } from '$lib/desk/called';
  import type { Desk } from '$lib/desk/desk.svelte';
  import { nameInk } from '$lib/draw/inks';
  import { mode } from '$lib/draw/mode.svelte';
  import ChannelsTable from '$lib/places/compare/ChannelsTable.svelte';
  import Dots from '$lib/places/compare/Dots.svelte';
  import Sheet from '$lib/parts/Sheet.svelte';
  import Trouble from '$lib/parts/Trouble.svelte';
  import { registry } from '$lib/quantities/registry.svelte';
  import { figure, signed, unitOf, unitOfQuantity, type Unit } from '$lib/quantities/units';
  import { present } from '$lib/session/present.svelte';
  import { texts } from '$lib/words';

  let { desk, where, open = $bindable() }: { desk: Desk; where: string; open: boolean } = $props();

  const t = texts.compare.depth;
  const laps = $derived(desk.shown.map((lap) => lap.curves).join(','));
  const base = $derived(desk.reference?.curves ?? '');
  const part = $derived(desk.settled);
  let of = $state<'figures' | 'channels'>('figures');
  const found = createQuery(() => ({
    queryKey: keys.figures(laps, base, part, desk.corner),
    queryFn: ({ signal }) => {
      const place = part?.passage
        ? { passage: part.passage }
        : { from_m: part?.from ?? 0, to_m: part?.to ?? 0 };
      const corner = part?.passage && desk.corner ? { corner: desk.corner } : {};
      return done(
        api.GET('/api/card/figures', {
          params: { query: { laps, reference: base, ...place, ...corner } },
          signal,
        }),
      );
    },
    enabled: open && of === 'figures' && laps !== '' && base !== '' && part !== null,
    placeholderData: keepPreviousData,
  }));

  interface Column {
    code: string;
    label: string;
    about: string;
    unit: Unit;
    good: 'high' | 'low' | null;
    of: (row: Row) => number | null;
    /** whether the value is a difference already */
    signs: boolean;
  }
  type Row = NonNullable<typeof found.data>['laps'][number];
  const time = $derived(unitOf('time', present.units));
  const columns = $derived<Column[]>([
    ...t.parts.map((label, i) => ({
      code: `part-${i}`,
      label,
      about: t.loss,
      unit: time,
      good: 'low' as const,
      of: (row: Row) => row.parts_s[i] ?? null,
      signs: true,
    })),
    {
      code: 'others',
      label: t.others,
      about: t.loss,
      unit: time,
      good: 'low',
      of: (row) => row.others_s,
      signs: true,
    },
    ...registry.figures.map((entry) => ({
      code: entry.code,
      label: entry.label,
      about: t.about[entry.about],
      unit: unitOfQuantity(entry.quantity, present.units),
      good: entry.good,
      of: (row: Row) => row.values[entry.code] ?? null,
      signs: false,
    })),
  ]);
  /** Of what nobody has a value there is no column. */
  const shown = $derived(columns.filter((column) => found.data?.laps.some((row) => column.of(row) !== null)));
  const groups = $derived(
    [...new Set(shown.map((column) => column.about))].map((about) => ({
      about,
      count: shown.filter((column) => column.about === about).length,
    })),
  );
  let by = $state('time');
  let down = $state(false);
  const sorting = $derived(shown.find((column) => column.code === by) ?? shown[0]);
  const rows = $derived(
    [...(found.data?.laps ?? [])].sort((a, b) => {
      const [own, other] = [sorting?.of(a) ?? null, sorting?.of(b) ?? null];
      if (own === null || other === null) return Number(own === null) - Number(other === null);
      return down ? other - own : own - other;
    }),
  );
  const reference = $derived(found.data?.laps.find((row) => row.lap === base));
  const run = $derived(found.data?.runs.find((item) => item.run === desk.chosenLap?.run));

  function best(column: Column): number | null {
    if (!column.good) return null;
    const values = (found.data?.laps ?? []).flatMap((row) => column.of(row) ?? []);
    if (values.length < 2) return null;
    return column.good === 'high' ? Math.max(...values) : Math.min(...values);
  }

  function sort(code: string): void {
    down = by === code ? !down : false;
    by = code;
  }

  const gap = (column: Column, row: Row): number | null => {
    const [own, other] = [column.of(row), reference ? column.of(reference) : null];
    return column.signs || own === null || other === null || row.lap === base ? null : own - other;
  };
</script>

<Sheet bind:open title={t.title(where)} wide>
  <div class="of" role="group">
    {#each ['figures', 'channels'] as const as kind (kind)}
      <button type="button" class="may" aria-pressed={of === kind} onclick={() => (of = kind)}
        >{t.of[kind]}</button
      >
    {/each}
  </div>
  <p class="muted hint">{of === 'figures' ? t.hint : texts.compare.channels.hint}</p>
  {#if of === 'figures' && found.error}<Trouble error={found.error} again={() => void found.refetch()} />{/if}
  {#if of === 'channels'}
    <ChannelsTable {desk} />
  {:else if found.data}
    <div class="table">
      <table>
        <thead>
          <tr class="groups">
            <td></td>
            {#each groups as group (group.about)}<th scope="colgroup" colspan={group.count}>{group.about}</th
              >{/each}
          </tr>
          <tr>
            <th scope="col">{t.lap}</th>
            {#each shown as column (column.code)}
              <th
                scope="col"
                class="num"
                aria-sort={column.code !== sorting?.code ? 'none' : down ? 'descending' : 'ascending'}
                ><button type="button" title={t.sort(column.label)} onclick={() => sort(column.code)}
                  ><span>{column.label}{column.unit.label ? `, ${column.unit.label}` : ''}</span
                  >{#if column.code === sorting?.code}<span aria-hidden="true">{down ? '▾' : '▴'}</span
                    >{/if}</button
                ></th
              >
            {/each}
          </tr>
        </thead>
        <tbody>
          {#each rows as row (row.lap)}
            {@const lap = desk.laps.find((item) => item.curves === row.lap)}
            {#if lap}
              <tr class:chosen={lap.key === desk.chosen}>
                <th scope="row"
                  ><button
                    type="button"
                    style:color={row.lap === base ? 'var(--muted)' : nameInk(lap, mode.dark)}
                    onclick={() => (desk.chosen = lap.key)}
                    ><span class="who">{called(lap).name}</span>&nbsp;{called(lap).nth}</button
                  >{#if row.held_up}<span class="muted held">{t.held}</span>{/if}</th
                >
                {#each shown as column (column.code)}
                  {@const value = column.of(row)}
                  {@const other = gap(column, row)}
                  <td class="num figure"
                    ><span class:best-all={value !== null && value === best(column)}
                      >{column.signs ? signed(value, column.unit) : figure(value, column.unit)}</span
                    >{#if other !== null}<span class="gap muted"
                        >{signed(other, { ...column.unit, offset: 0 })}</span
                      >{/if}</td
                  >
                {/each}
              </tr>
            {/if}
          {/each}
        </tbody>
        {#if run && desk.chosenLap}
          {@const own = run.numbers.indexOf(desk.chosenLap.number ?? -1)}
          <tfoot>
            <tr>
              <th scope="row" class="muted">{t.all(called(desk.chosenLap).name)}</th>
              {#each shown as column (column.code)}
                {@const dots = run.figures[column.code]}
                {@const known = (dots?.values ?? []).filter((value): value is number => value !== null)}
                <td class="num"
                  >{#if dots && known.length > 1}<Dots
                      values={dots.values}
                      {own}
                      label={t.dots(
                        `${inFull(desk.chosenLap)}, ${column.label}`,
                        known.length,
                        figure(Math.min(...known), column.unit),
                        figure(Math.max(...known), column.unit),
                      )}
                    />{#if dots.clear}<span class="trend figure"
                        >{t.trend(
                          signed(dots.slope, { ...column.unit, offset: 0, digits: column.unit.digits + 1 }),
                        )}</span
                      >{/if}{/if}</td
                >
              {/each}
            </tr>
          </tfoot>
        {/if}
      </table>
    </div>
  {:else if !found.error}
    <p class="muted">{texts.loading}</p>
  {/if}
</Sheet>

<style>
  .of {
    display: flex;
    gap: 6px;
    margin-bottom: 6px;
  }
  .of .may {
    min-height: 28px;
    padding: 0.1rem 0.6rem;
    font-size: 13px;
  }
  .of [aria-pressed='true'] {
    border-color: var(--ink);
    font-weight: 640;
  }
  .hint {
    font-size: 12.5px;
    margin-bottom: 6px;
  }
  .table {
    overflow-x: auto;
  }
  table {
    border-collapse: collapse;
    font-stretch: 85%;
    font-size: 13px;
  }
  .groups th {
    font-size: 12px;
    font-weight: 640;
    text-align: left;
    padding-left: 10px;
  }
  thead th {
    vertical-align: bottom;
    font-weight: 500;
  }
  thead button {
    display: flex;
    align-items: flex-end;
    gap: 3px;
    width: 80px;
    padding: 2px 0 4px 8px;
    font-size: 11px;
    line-height: 1.2;
    text-align: right;
    justify-content: flex-end;
    color: var(--muted);
    cursor: pointer;
  }
  thead button:hover {
    color: var(--ink);
  }
  tbody td,
  tbody th,
  tfoot td,
  tfoot th {
    border-top: 1px solid var(--rule);
    padding: 3px 0 3px 8px;
    vertical-align: top;
  }
  th:first-child,
  tr > td:first-child {
    position: sticky;
    left: 0;
    z-index: 1;
    background: var(--sheet);
    text-align: left;
    max-width: 170px;
    padding-left: 6px;
  }
  tbody button {
    display: flex;
    max-width: 160px;
    font-weight: 560;
    cursor: pointer;
  }
  .who {
    overflow: hidden;
    text-overflow: ellipsis;
    white-space: nowrap;
  }
  .held {
    font-size: 11px;
    font-weight: 440;
  }
  tr.chosen th:first-child {
    box-shadow: inset 3px 0 0 var(--ink);
  }
  .num {
    text-align: right;
  }
  tfoot {
    background: none;
  }
  .gap,
  .trend {
    display: block;
    margin-top: 3px;
    font-size: 0.82em;
  }
</style>
