<script lang="ts">
  import { goto } from '$app/navigation';
  import { page } from '$app/state';
  import { createInfiniteQuery, createQuery } from '@tanstack/svelte-query';
  import { SvelteURLSearchParams } from 'svelte/reactivity';
  import { api, done, type Paddock, type PaddockRun } from '$lib/api/client';
  import { keys } from '$lib/api/keys';
  import { driverColour, fullRate } from '$lib/draw/colours';
  import { mode } from '$lib/draw/mode.svelte';
  import { present } from '$lib/session/present.svelte';
  import Deliveries from '$lib/places/paddock/Deliveries.svelte';
  import RunReading from '$lib/places/paddock/RunReading.svelte';
  import DayReference from '$lib/parts/DayReference.svelte';
  import Filters from '$lib/parts/Filters.svelte';
  import SaveAs from '$lib/parts/SaveAs.svelte';
  import Remove from '$lib/parts/Remove.svelte';
  import Book from '$lib/parts/Book.svelte';
  import { asIs, type TableColumn, type TableView } from '$lib/parts/table/columns';
  import DataTable from '$lib/parts/table/DataTable.svelte';
  import Trouble from '$lib/parts/Trouble.svelte';
  import { chosen } from '$lib/session/chosen.svelte';
  import { texts } from '$lib/words';
  import { day } from '$lib/quantities/dates.svelte';
  import { figure, lapTime, signed, unitOf } from '$lib/quantities/units';

  const t = texts.paddock;
  const event = $derived(Number(page.url.searchParams.get('event')) || null);
  const at = (name: string) => Number(page.url.searchParams.get(name)) || undefined;
  const asked = $derived({
    event: event ?? undefined,
    age: at('age') ?? 0,
    driver: at('driver'),
    car: at('car'),
    circuit: at('circuit'),
  });
  const paddock = createQuery(() => ({
    queryKey: keys.paddock(asked),
    queryFn: () => done(api.GET('/api/paddock', { params: { query: asked } })),
    placeholderData: (before: Paddock | undefined) => before,
    refetchInterval: 10_000,
  }));
  const data = $derived(paddock.data);
  // What costs most is compared in the background; asked about more often while it is coming.
  const shownDay = $derived(data?.event?.id ?? null);
  const reading = createQuery(() => ({
    queryKey: keys.dayReading(shownDay ?? 0),
    queryFn: () =>
      done(api.GET('/api/events/{event_id}/reading', { params: { path: { event_id: shownDay ?? 0 } } })),
    enabled: shownDay !== null && Boolean(data?.runs.length) && present.me?.role !== 'driver',
    refetchInterval: (query) => (query.state.data?.state === 'coming' ? 1_500 : 10_000),
  }));
  const full = $derived(fullRate((reading.data?.runs ?? []).map((run) => run.strip)));
  // Older events that were asked for; the newest ones come with the query.
  const older = createInfiniteQuery(() => ({
    queryKey: keys.olderEvents({ ...asked, event: undefined, from: data?.next }),
    queryFn: ({ pageParam }) =>
      done(
        api.GET('/api/paddock', {
          params: { query: { ...asked, event: undefined, before: pageParam ?? undefined } },
        }),
      ),
    initialPageParam: data?.next ?? null,
    getNextPageParam: (last: Paddock) => last.next,
    enabled: false,
  }));
  const events = $derived.by(() => {
    const further = older.data?.pages.flatMap((page) => page.events) ?? [];
    const first = data?.events ?? [];
    return [...first, ...further.filter((item) => !first.some((other) => other.id === item.id))];
  });
  const moreEvents = $derived(older.data ? older.hasNextPage : Boolean(data?.next));
  const length = $derived(unitOf('length', present.units));
  const time = $derived(unitOf('time', present.units));
  const leads = $derived(present.me?.role === 'owner' || present.me?.role === 'coach');
  const f = texts.handIn.filters;
  const choices = (items: { id: number; name: string }[] | undefined): [string, string][] => [
    ['', f.any],
    ...(items ?? []).map((item): [string, string] => [String(item.id), item.name]),
  ];
  const filters = $derived([
    { name: 'driver', label: f.driver, usual: '', choices: choices(data?.drivers) },
    { name: 'circuit', label: f.circuit, usual: '', choices: choices(data?.circuits) },
    { name: 'car', label: f.car, usual: '', choices: choices(data?.cars) },
    {
      name: 'age',
      label: f.of,
      usual: '0',
      choices: ['1', '7', '30', '365', '0'].map((n): [string, string] => [n, f.dayAges[Number(n)] ?? n]),
    },
  ]);

  $effect(() => {
    if (data?.event) chosen.take({ event: data.event.id, layout: data.event.layout });
  });
  /** An event's address keeps the filters. */
  function toEvent(id: number): string {
    const query = new SvelteURLSearchParams(page.url.searchParams);
    query.set('event', String(id));
    return `/paddock?${query}`;
  }

  /** Beside a gap: said as soon as a day has runs in more than one kind, or in the wet alone. */
  const mixed = $derived(new Set(data?.runs.map((run) => run.conditions ?? 'dry')).size > 1);
  const inConditions = (run: PaddockRun): string =>
    mixed || (run.conditions ?? 'dry') !== 'dry'
      ? texts.dayReference.conditions[run.conditions ?? 'dry']
      : '';

  const clock = (iso: string | null) => iso?.slice(11, 16) ?? '';
  let view = $state.raw<TableView>(asIs);
  const columns = $derived.by((): TableColumn<PaddockRun>[] => [
    {
      id: 'driver',
      header: t.driver,
      heads: true,
      value: (run) => run.driver.name,
      text: (run) => run.driver.name,
    },
    {
      id: 'run',
      header: t.run,
      value: (run) => run.started_at ?? '',
      text: (run) =>
        [clock(run.started_at), t.kinds[run.kind] ?? run.kind, run.car].filter(Boolean).join(' '),
    },
    {
      id: 'laps',
      header: t.laps,
      value: (run) => run.counting,
      text: (run) => t.counting(run.counting, run.laps),
    },
    {
      id: 'best',
      header: t.best,
      numeric: true,
      value: (run) => run.best_s,
      text: (run) => (run.best_s === null ? t.noTimed : lapTime(run.best_s)),
      look: (run) => (run.level ? 'best-all' : ''),
    },
    {
      id: 'gap',
      header: t.gap,
      unit: 's',
      value: (run) => run.gap_s,
      text: (run) =>
        run.reference
          ? t.reference
          : run.gap_s === null
            ? ''
            : [signed(run.gap_s, time), inConditions(run)].filter(Boolean).join(' '),
    },
    ...(present.me?.role === 'driver'
      ? []
      : [{ id: 'reading', header: t.reading, value: () => null, text: () => '' }]),
    {
      id: 'theoretical',
      header: t.theoretical,
      numeric: true,
      value: (run) => run.theoretical_best_s,
      text: (run) => lapTime(run.theoretical_best_s),
      look: () => 'aside',
    },
    { id: 'do', header: '', value: () => null, text: () => '' },
  ]);
</script>

<svelte:head><title>{t.title} · {texts.name}</title></svelte:head>

<Book
  about={data?.event ? `${data.event.circuit}, ${figure(data.event.length_m, length)} ${length.label}` : ''}
>
  {#snippet left()}
    <h1>{t.title}</h1>
    {#if data}<Filters {filters} broad />{/if}
    {#if events.length}
      <ul class="events">
        {#each events as item (item.id)}
          <li>
            <a href={toEvent(item.id)} aria-current={item.id === data?.event?.id ? 'page' : undefined}>
              <strong>{item.name}</strong>
              <span class="muted">{item.circuit}, {day(item.day)} · {t.runs(item.runs)}</span>
            </a>
          </li>
        {/each}
      </ul>
      {#if moreEvents}
        <button type="button" class="may" onclick={() => void older.fetchNextPage()}>{t.older}</button>
      {/if}
    {/if}
  {/snippet}

  {#if data?.backup}<p class="word" role="status">{data.backup}</p>{/if}
  {#if paddock.error}
    <Trouble error={paddock.error} again={() => void paddock.refetch()} />
  {:else if !data}
    <p class="muted">{texts.loading}</p>
  {:else if !data.event || !data.runs.length}
    {#if data.deliveries.length}<Deliveries list={data.deliveries} />{/if}
    <div class="empty">
      <p>{t.empty}</p>
      <a class="do" href="/hand-in">{t.emptyNext}</a>
    </div>
  {:else}
    <div class="head">
      <h2>{data.event.name}, {day(data.event.day)}</h2>
      <div class="doings">
        {#if leads}<Remove kind="event" id={data.event.id} name={data.event.name} />{/if}
        <SaveAs event={data.event.id} label={t.saveDay} />
        <a class="do" href="/compare?event={data.event.id}">{t.compareAll}</a>
      </div>
    </div>
    {#if present.me?.role !== 'driver'}
      <DayReference event={data.event.id} day={data.event.day} known={data} />
    {/if}
    {#if data.deliveries.length}<Deliveries list={data.deliveries} />{/if}
    <DataTable
      label={t.title}
      {columns}
      rows={data.runs}
      key={(run) => String(run.id)}
      {view}
      onview={(to) => (view = to)}
      onopen={(run) => void goto(`/compare?run=${run.id}`)}
      height="none"
      rowHeight={58}
    >
      {#snippet cell(run, column)}
        {#if column.id === 'driver'}
          <span style:color={driverColour(run.driver.colour, mode.dark)}>{run.driver.name}</span>
        {:else if column.id === 'run'}
          <span class="figure">{clock(run.started_at)}</span>
          {t.kinds[run.kind] ?? run.kind}
          {#if run.car}<span class="muted car">{run.car}</span>{/if}
        {:else if column.id === 'gap'}
          <span class="gap">
            {#if run.reference}<span class="muted">{t.reference}</span>
            {:else if run.gap_s !== null}
              <span class="figure">{signed(run.gap_s, time)}</span>
              {#if run.level}<span class="muted" title={t.levelMeans}>{t.level}</span>{/if}
            {/if}
            {#if inConditions(run)}<span class="muted car">{inConditions(run)}</span>{/if}
          </span>
        {:else if column.id === 'reading'}
          <RunReading day={reading.data} run={run.id} {full} timed={run.best_s !== null} width={196} />
        {:else if column.id === 'do'}
          {#if run.best_s !== null}
            <a class="may" href="/compare?run={run.id}" aria-label={t.compareOne(run.driver.name)}
              >{t.compare}</a
            >
          {/if}
          {#if leads}<Remove
              kind="run"
              id={run.id}
              name={t.runOf(run.driver.name, clock(run.started_at))}
            />{/if}
        {:else}{column.text(run)}{/if}
      {/snippet}
    </DataTable>
  {/if}
</Book>

<style>
  h1 {
    font-size: 20px;
    font-weight: 640;
    margin: 18px 0 10px;
  }
  .events a {
    display: grid;
    padding: 8px 10px;
    margin: 0 -10px;
    border-radius: 5px;
    color: var(--ink);
    overflow-wrap: anywhere;
  }
  .events a:hover {
    background: var(--strip);
    text-decoration: none;
  }
  .events a[aria-current] {
    background: var(--paper);
    box-shadow: inset 3px 0 0 var(--brass);
  }
  .events span {
    font-size: 13px;
  }
  .head {
    display: flex;
    justify-content: space-between;
    align-items: center;
    gap: 16px;
    margin: 8px 0 12px;
  }
  h2 {
    font-size: 18px;
    font-weight: 620;
  }
  .doings {
    display: flex;
    flex-wrap: wrap;
    gap: 8px;
  }
  .word {
    border-left: 3px solid var(--brass);
    padding: 6px 12px;
    margin-bottom: 8px;
    background: var(--sheet);
  }
  .events {
    margin-top: 12px;
  }
  .car {
    display: block;
    font-size: 12px;
  }
  .gap {
    white-space: nowrap;
  }
</style>
