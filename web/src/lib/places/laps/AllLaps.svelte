<!-- All laps of the team, however many: narrowed on the server, sorted and filtered in the table, laid on the desk. -->
<script lang="ts">
  import { createInfiniteQuery } from '@tanstack/svelte-query';
  import type { SvelteSet } from 'svelte/reactivity';
  import { api, done, type AnyLap } from '$lib/api/client';
  import { keys } from '$lib/api/keys';
  import type { Narrowed } from '$lib/laps/place';
  import { clockOf } from '$lib/laps/sheet';
  import { day as written } from '$lib/quantities/dates.svelte';
  import { lapTime } from '$lib/quantities/units';
  import type { TableColumn, TableView } from '$lib/parts/table/columns';
  import DataTable from '$lib/parts/table/DataTable.svelte';
  import Trouble from '$lib/parts/Trouble.svelte';
  import { texts } from '$lib/words';

  interface Props {
    narrowed: Narrowed;
    onnarrow: (to: Narrowed) => void;
    table: TableView;
    ontable: (to: TableView) => void;
    chosen: SvelteSet<string>;
    /** the laps that are loaded, for whoever acts on the chosen ones */
    onlaps: (laps: AnyLap[]) => void;
    /** a lap becomes the one that others are measured against */
    onmeasure: (lap: AnyLap) => void;
  }
  let { narrowed, onnarrow, table, ontable, chosen, onlaps, onmeasure }: Props = $props();
  const t = texts.allLaps;
  const c = t.columns;

  const laps = createInfiniteQuery(() => ({
    queryKey: keys.allLaps(narrowed),
    queryFn: ({ pageParam, signal }: { pageParam: string | null; signal: AbortSignal }) => {
      const { order, layout, driver, car, since, until, counting } = narrowed;
      const query = {
        order,
        counting,
        ...(layout ? { layout } : {}),
        ...(driver ? { driver } : {}),
        ...(car ? { car } : {}),
        ...(since ? { since } : {}),
        ...(until ? { until } : {}),
        ...(pageParam ? { after: pageParam } : {}),
      };
      return done(api.GET('/api/laps/all', { params: { query }, signal }));
    },
    initialPageParam: null as string | null,
    getNextPageParam: (last: { next: string | null }) => last.next,
    staleTime: 0,
  }));
  const rows = $derived(laps.data?.pages.flatMap((page) => page.laps) ?? []);
  const choices = $derived(laps.data?.pages[0]);
  $effect(() => {
    onlaps(rows);
  });

  const aside = (own: AnyLap) => (own.set_aside ? 'aside' : '');
  const columns: TableColumn<AnyLap>[] = [
    { id: 'driver', header: c.driver, value: (own) => own.driver.name, text: (own) => own.driver.name },
    {
      id: 'day',
      header: c.day,
      value: (own) => `${own.day} ${clockOf(own.started_at)}`,
      text: (own) => `${written(own.day)} ${clockOf(own.started_at)}`.trim(),
    },
    { id: 'circuit', header: c.circuit, value: (own) => own.layout, text: (own) => own.layout },
    {
      id: 'lap',
      header: c.lap,
      numeric: true,
      value: (own) => own.number,
      text: (own) => String(own.number),
      look: aside,
    },
    {
      id: 'time',
      header: c.time,
      numeric: true,
      value: (own) => own.time_s,
      text: (own) => lapTime(own.time_s),
      look: (own) => (own.best_of_run ? 'best' : aside(own)),
    },
    {
      id: 'aside',
      header: c.aside,
      value: (own) => own.set_aside,
      text: (own) => (own.set_aside ? (texts.laps.aside[own.set_aside] ?? own.set_aside) : ''),
    },
    { id: 'car', header: c.car, value: (own) => own.car, text: (own) => own.car ?? '' },
    {
      id: 'conditions',
      header: c.conditions,
      value: (own) => own.conditions,
      text: (own) => own.conditions ?? '',
    },
    { id: 'tyres', header: c.tyres, value: (own) => own.tyres, text: (own) => own.tyres ?? '' },
    { id: 'kind', header: c.kind, value: (own) => own.run_kind, text: (own) => own.run_kind },
    { id: 'event', header: c.event, value: (own) => own.event, text: (own) => own.event },
    { id: 'note', header: c.note, value: (own) => own.note, text: (own) => own.note ?? '' },
  ];
  const id = (event: Event) => Number((event.currentTarget as HTMLSelectElement).value) || null;
  const text = (event: Event) => (event.currentTarget as HTMLInputElement).value;
</script>

{#if laps.error}
  <Trouble error={laps.error} again={() => void laps.refetch()} />
{:else if !laps.data}
  <p class="muted">{texts.loading}</p>
{:else}
  <div class="bar">
    <select
      class="select"
      aria-label={t.order}
      value={narrowed.order}
      onchange={(e) => onnarrow({ ...narrowed, order: text(e) === 'quickest' ? 'quickest' : 'newest' })}
    >
      <option value="newest">{t.orders.newest}</option><option value="quickest">{t.orders.quickest}</option>
    </select>
    <select
      class="select"
      aria-label={t.circuit}
      value={narrowed.layout ?? ''}
      onchange={(e) => onnarrow({ ...narrowed, layout: id(e) })}
    >
      <option value="">{t.everyCircuit}</option>
      {#each choices?.layouts ?? [] as own (own.id)}<option value={own.id}>{own.name}</option>{/each}
    </select>
    <select
      class="select"
      aria-label={c.driver}
      value={narrowed.driver ?? ''}
      onchange={(e) => onnarrow({ ...narrowed, driver: id(e) })}
    >
      <option value="">{t.everyDriver}</option>
      {#each choices?.drivers ?? [] as own (own.id)}<option value={own.id}>{own.name}</option>{/each}
    </select>
    <select
      class="select"
      aria-label={t.car}
      value={narrowed.car ?? ''}
      onchange={(e) => onnarrow({ ...narrowed, car: id(e) })}
    >
      <option value="">{t.everyCar}</option>
      {#each choices?.cars ?? [] as own (own.id)}<option value={own.id}>{own.name}</option>{/each}
    </select>
    <label
      >{t.since}<input
        class="input"
        type="date"
        value={narrowed.since}
        onchange={(e) => onnarrow({ ...narrowed, since: text(e) })}
      /></label
    >
    <label
      >{t.until}<input
        class="input"
        type="date"
        value={narrowed.until}
        onchange={(e) => onnarrow({ ...narrowed, until: text(e) })}
      /></label
    >
    <label
      ><input
        type="checkbox"
        checked={narrowed.counting}
        onchange={(e) => onnarrow({ ...narrowed, counting: e.currentTarget.checked })}
      />{texts.laps.onlyCounting}</label
    >
  </div>
  <DataTable
    label={t.label}
    {columns}
    {rows}
    key={(row) => row.key}
    view={table}
    onview={ontable}
    {chosen}
    onopen={onmeasure}
    onend={() => {
      if (laps.hasNextPage && !laps.isFetchingNextPage) void laps.fetchNextPage();
    }}
    height="560px"
  >
    {#snippet cell(row, column)}
      {#if column.id === 'time' && row.time_s !== null && chosen.size && !chosen.has(row.key)}
        <button type="button" class="measure" title={t.measure} onclick={() => onmeasure(row)}
          >{column.text(row)}</button
        >
      {:else}{column.text(row)}{/if}
    {/snippet}
  </DataTable>
  <p class="muted end" role="status">{laps.hasNextPage ? t.loadingMore : t.end}</p>
{/if}

<style>
  .bar {
    display: flex;
    flex-wrap: wrap;
    gap: 6px 8px;
    align-items: center;
    font-size: 12px;
    margin: 6px 0;
  }
  .bar label {
    display: flex;
    gap: 5px;
    align-items: center;
  }
  .bar .select,
  .bar .input {
    width: auto;
    max-width: 170px;
    min-height: 28px;
    height: 28px;
    padding: 0 8px;
    font-size: 12px;
  }
  .bar .select {
    padding-right: 24px;
  }
  .measure {
    text-decoration: underline dotted;
    cursor: pointer;
    font: inherit;
  }
  .end {
    font-size: 12px;
    margin-top: 4px;
  }
  :global(.cell.best) {
    text-decoration: underline;
  }
</style>
