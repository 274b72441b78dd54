<script lang="ts">
  import { goto } from '$app/navigation';
  import { createQuery, keepPreviousData, useQueryClient } from '@tanstack/svelte-query';
  import { FileDown } from '@lucide/svelte';
  import { SvelteSet } from 'svelte/reactivity';
  import { api, done, type AnyLap } from '$lib/api/client';
  import { keys } from '$lib/api/keys';
  import { readLaps, SHOWS, VIEWS, writeLaps } from '$lib/laps/place';
  import { between, deskAddress, groups, order, sheetColumns } from '$lib/laps/sheet';
  import { day as written } from '$lib/quantities/dates.svelte';
  import { addressed, keepAddress } from '$lib/session/address.svelte';
  import { present } from '$lib/session/present.svelte';
  import Book from '$lib/parts/Book.svelte';
  import { note, noteAction, undoKept } from '$lib/parts/notes.svelte';
  import { asIs, asText } from '$lib/parts/table/columns';
  import Keys from '$lib/parts/Keys.svelte';
  import Trouble from '$lib/parts/Trouble.svelte';
  import AllLaps from '$lib/places/laps/AllLaps.svelte';
  import HandBar, { REASONS } from '$lib/places/laps/HandBar.svelte';
  import CarWatch from '$lib/places/laps/CarWatch.svelte';
  import LongRuns from '$lib/places/laps/LongRuns.svelte';
  import RhythmLine from '$lib/places/laps/RhythmLine.svelte';
  import TrafficSheet from '$lib/places/laps/TrafficSheet.svelte';
  import SheetTable from '$lib/places/laps/SheetTable.svelte';
  import WhoIsWhere from '$lib/places/laps/WhoIsWhere.svelte';
  import { lapsKeys } from '$lib/words/laps';
  import { chosen as kept } from '$lib/session/chosen.svelte';
  import { texts } from '$lib/words';

  const t = texts.laps;
  const RENEWING_MS = 2_000;
  const first = readLaps(addressed());
  let event = $state(first.event);
  let driver = $state(first.driver);
  let columns = $state(first.columns);
  let show = $state(first.show);
  let against = $state(first.against);
  let onlyCounting = $state(first.onlyCounting);
  let view = $state(first.view);
  let windows = $state(first.windows);
  let by = $state(first.by);
  /** of the car watch and of the list of all laps */
  let over = $state(first.over);
  let figures = $state(first.figures);
  let table = $state.raw(first.table);
  let narrowed = $state.raw(first.narrowed);
  let said = $state('');
  let loaded = $state.raw<AnyLap[]>([]);
  let traffic = $state<string | null>(null);
  let sorted = $state<number | null>(null);
  let reason = $state<(typeof REASONS)[number]>('by_hand');
  let current = $state<string | null>(null);
  let helping = $state(false);
  let trouble = $state<unknown>(null);
  const chosen = new SvelteSet<string>();
  const client = useQueryClient();
  const may = $derived(present.me?.role === 'owner' || present.me?.role === 'coach');

  const laps = createQuery(() => ({
    queryKey: keys.laps({ event, columns, ...(against ? { against } : {}) }),
    queryFn: ({ signal }) =>
      done(
        api.GET('/api/laps', {
          params: { query: { ...(event ? { event } : {}), ...(against ? { against } : {}), columns } },
          signal,
        }),
      ),
    placeholderData: keepPreviousData,
    staleTime: 0,
    refetchInterval: (asked) => (asked.state.data?.renewing ? RENEWING_MS : false),
  }));
  const shown = $derived(laps.data ? groups(laps.data, { driver, onlyCounting }) : []);
  const listed = $derived(order(shown));
  const range = $derived.by((): [number, number] => {
    const times = (laps.data?.laps ?? [])
      .flatMap((lap) => (lap.time_s !== null && !lap.set_aside ? [lap.time_s] : []))
      .sort((a, b) => a - b);
    return [times[0] ?? 0, times.at(-1) ?? 1];
  });

  $effect(() => {
    if (laps.data?.event) kept.take({ event: laps.data.event.id, layout: laps.data.event.layout });
  });
  $effect(() => {
    void columns;
    sorted = null;
  });
  // What is chosen but gone, or not shown any more, is not chosen; the list of all laps keeps its own.
  $effect(() => {
    if (view === 'all') return;
    for (const key of [...chosen]) if (!listed.includes(key)) chosen.delete(key);
  });
  keepAddress('/laps', () =>
    writeLaps({
      event,
      driver,
      columns,
      show,
      against,
      onlyCounting,
      view,
      by,
      windows,
      over,
      figures,
      table,
      narrowed,
    }),
  );

  function choose(some: string[], on: boolean): void {
    for (const key of some)
      if (on) chosen.add(key);
      else chosen.delete(key);
    current = some.at(-1) ?? current;
  }

  function row(key: string, press: MouseEvent): void {
    if (press.shiftKey && current) choose(between(listed, current, key), true);
    else choose([key], !chosen.has(key));
    current = key;
  }

  async function refresh(): Promise<void> {
    await Promise.all([
      client.invalidateQueries({ queryKey: keys.anyLaps() }),
      client.invalidateQueries({ queryKey: keys.anyPaddock() }),
      client.invalidateQueries({ queryKey: keys.anyDesk() }),
      client.invalidateQueries({ queryKey: keys.anyCard() }),
    ]);
  }

  async function judge(counts: boolean | null): Promise<void> {
    const some = chosenKeys();
    if (!some.length || !may) return;
    trouble = null;
    try {
      const body = {
        laps: some,
        counts,
        ...(counts === false ? { reason } : {}),
        ...(said.trim() ? { note: said.trim() } : {}),
      };
      const kept = await done(api.POST('/api/laps/judged', { body }));
      const told = counts === false ? t.wereSetAside : counts ? t.wereCounted : t.wereLeft;
      noteAction(told(kept.laps), kept.action, refresh);
      chosen.clear();
      said = '';
      await refresh();
    } catch (error) {
      trouble = error;
    }
  }

  const chosenKeys = (): string[] =>
    view === 'all'
      ? loaded.flatMap((lap) => (chosen.has(lap.key) ? [lap.key] : []))
      : listed.filter((key) => chosen.has(key));

  /** The chosen laps on the desk: against the best of the day, or of the chosen ones where they are of any day. */
  function compare(measured: string | null = null): void {
    const all = view === 'all' ? loaded : (laps.data?.laps ?? []);
    const timed = chosenKeys()
      .flatMap((key) => all.find((lap) => lap.key === key) ?? [])
      .filter((lap) => lap.time_s !== null);
    if (view === 'all') {
      const measure = loaded.find((lap) => lap.key === measured);
      const layouts = new Set(
        [...timed, ...(measure ? [measure] : [])].map((lap) => (lap as AnyLap).layout_id),
      );
      if (layouts.size > 1) {
        trouble = new Error(texts.allLaps.apart);
        return;
      }
    }
    const quickest = [...timed].sort((a, b) => (a.time_s ?? 0) - (b.time_s ?? 0))[0]?.key;
    const best =
      measured ?? (view === 'all' ? quickest : laps.data?.drivers.find((item) => item.best_lap)?.best_lap);
    const keysOf = timed.map((lap) => lap.key);
    if (best && (keysOf.length || measured)) void goto(deskAddress(keysOf.slice(0, 23), best, null));
  }

  function onkey(press: KeyboardEvent): void {
    const { target } = press;
    if (target instanceof HTMLSelectElement || press.ctrlKey || press.metaKey || press.altKey) return;
    if (target instanceof HTMLInputElement && target.type !== 'checkbox') return;
    if (!(present.me?.shortcuts ?? true)) return;
    if (press.key === 'z') void undoKept(present.me?.name ?? '', refresh);
    else if (view !== 'sheet' && view !== 'all') {
      if (press.key !== '?') return;
      helping = true;
    } else if (view === 'sheet' && (press.key === 'ArrowDown' || press.key === 'ArrowUp')) {
      const at = current === null ? -1 : listed.indexOf(current);
      const next =
        listed[press.key === 'ArrowDown' ? Math.min(at + 1, listed.length - 1) : Math.max(at - 1, 0)];
      if (!next) return;
      if (press.shiftKey) choose(current ? [current, next] : [next], true);
      current = next;
      document.querySelector(`tr[data-lap="${next}"]`)?.scrollIntoView({ block: 'nearest' });
    } else if (view === 'sheet' && press.key === ' ' && current && !(target instanceof HTMLButtonElement)) {
      if (target instanceof HTMLInputElement) return;
      choose([current], !chosen.has(current));
    } else if (press.key === 's') void judge(false);
    else if (press.key === 'c') void judge(true);
    else if (press.key === 'Enter' && chosen.size && !(target instanceof HTMLButtonElement)) compare();
    else if (press.key === '?') helping = true;
    else return;
    press.preventDefault();
  }

  const onlyOne = $derived(
    view === 'sheet' && chosen.size === 1
      ? laps.data?.laps.find((lap) => chosen.has(lap.key) && lap.time_s !== null)
      : undefined,
  );
  /** the one lap that is chosen, of any day on the circuit of the sheet, to measure the sheet's laps against */
  const onlyOneOfAll = $derived(
    chosen.size === 1
      ? view === 'all'
        ? (loaded.find((lap) => chosen.has(lap.key) && lap.time_s !== null)?.key ?? null)
        : (onlyOne?.key ?? null)
      : null,
  );

  async function copySheet(): Promise<void> {
    const { data } = laps;
    if (!data) return;
    const words = {
      driver: t.driver,
      run: texts.watch.run,
      lap: t.lap,
      time: t.time,
      aside: texts.allLaps.columns.aside,
    };
    const rows = listed.flatMap((key) => data.laps.find((lap) => lap.key === key) ?? []);
    await navigator.clipboard.writeText(asText(sheetColumns(data, words), rows));
    note(texts.table.copied(rows.length));
  }

  const about = $derived(
    laps.data?.event
      ? `${laps.data.event.circuit}. ${laps.data.event.name}, ${written(laps.data.event.day)}`
      : '',
  );
  const file = $derived(
    `/api/laps/file?columns=${columns}${laps.data?.event ? `&event=${laps.data.event.id}` : ''}`,
  );
</script>

<svelte:head><title>{t.title} · {texts.name}</title></svelte:head>
<svelte:window onkeydown={onkey} />

<Book {about}>
  {#snippet left()}
    {#if laps.data?.event}
      <div class="fields">
        <label>
          <span class="muted">{t.day}</span>
          <select
            class="select"
            value={laps.data.event.id}
            onchange={(e) => {
              event = Number(e.currentTarget.value);
              driver = null;
            }}
          >
            {#each laps.data.days as item (item.id)}
              <option value={item.id}>{item.name}, {written(item.day)}</option>
            {/each}
          </select>
        </label>
        {#if view !== 'all'}
          <label>
            <span class="muted">{t.driver}</span>
            <select
              class="select"
              value={driver ?? ''}
              onchange={(e) => (driver = e.currentTarget.value ? Number(e.currentTarget.value) : null)}
            >
              <option value="">{t.everybody}</option>
              {#each laps.data.drivers as item (item.driver.id)}
                <option value={item.driver.id}>{item.driver.name}</option>
              {/each}
            </select>
          </label>
        {/if}
        {#if view === 'sheet' || view === 'where'}
          <label>
            <span class="muted">{t.columns}</span>
            <select class="select" bind:value={columns}>
              <option value="sectors">{t.sectors}</option>
              <option value="passages">{t.passages}</option>
            </select>
          </label>
        {/if}
        {#if view === 'sheet'}
          <label>
            <span class="muted">{t.shown}</span>
            <select class="select" bind:value={show}>
              {#each SHOWS.filter((own) => own !== 'against' || laps.data?.against) as own (own)}<option
                  value={own}>{t.shows[own]}</option
                >{/each}
            </select>
          </label>
          <label class="only"><input type="checkbox" bind:checked={onlyCounting} />{t.onlyCounting}</label>
        {:else if view === 'where'}
          <label>
            <span class="muted">{t.by}</span>
            <select class="select" bind:value={by}>
              <option value="median">{t.bys.median}</option>
              <option value="best">{t.bys.best}</option>
            </select>
          </label>
        {/if}
      </div>
      <h2>{t.rhythm}</h2>
      {#each shown as group (group.driver.driver.id)}
        <div class="rhythm">
          <span class="who" title={group.driver.driver.name}>{group.driver.driver.name}</span>
          <span class="muted">{t.counting(group.driver.counting)}</span>
          <RhythmLine
            {group}
            {chosen}
            {range}
            width={316}
            onpoint={(key) => choose([key], !chosen.has(key))}
          />
        </div>
      {/each}
      <p class="muted help">{t.rhythmHelp}</p>
    {/if}
  {/snippet}

  {#if laps.error}
    <Trouble error={laps.error} again={() => void laps.refetch()} />
  {:else if !laps.data}
    <p class="muted">{texts.loading}</p>
  {:else if !laps.data.event}
    <div class="empty">
      <p>{t.empty}</p>
      <a class="do" href="/hand-in">{t.emptyNext}</a>
    </div>
  {:else}
    {#if laps.data.renewing}<p class="muted" role="status">{t.renewing}</p>{/if}
    {#if trouble}<Trouble error={trouble} />{/if}
    <div class="bar">
      <div class="views" role="tablist" aria-label={t.view}>
        {#each VIEWS as own (own)}
          <button
            type="button"
            role="tab"
            aria-selected={view === own}
            onclick={() => {
              if (own === 'all' || view === 'all') chosen.clear();
              if (own !== view) table = asIs;
              view = own;
            }}>{t.views[own]}</button
          >
        {/each}
      </div>
      <span class="grow"></span>
      {#if view === 'sheet' || view === 'where'}
        {#if against}
          <button
            type="button"
            class="may"
            onclick={() => {
              against = null;
              show = 'times';
            }}>{t.measureNoMore}</button
          >
        {/if}
        <button type="button" class="may" onclick={() => void copySheet()}>{t.copySheet}</button>
        <a class="may" href={file} download><FileDown size={15} />{t.file}</a>
        <a class="may" href={file.replace('/file?', '/sheet?')} download><FileDown size={15} />{t.paper}</a>
      {/if}
      <button type="button" class="may" aria-label={t.keys} title={t.keys} onclick={() => (helping = true)}
        ><kbd>?</kbd></button
      >
    </div>
    {#if view === 'where'}
      <WhoIsWhere day={laps.data} {by} {driver} {sorted} onsort={(column) => (sorted = column)} />
    {:else if view === 'long'}
      <LongRuns event={laps.data.event.id} {driver} {windows} {may} onwindows={(text) => (windows = text)} />
    {:else if view === 'car'}
      <CarWatch
        event={laps.data.event.id}
        {driver}
        {over}
        {figures}
        {table}
        {may}
        onchange={(to) => {
          over = to.over ?? over;
          figures = to.figures ?? figures;
          table = to.table ?? table;
        }}
      />
    {:else if view === 'all'}
      <AllLaps
        {narrowed}
        {table}
        {chosen}
        onnarrow={(to) => (narrowed = to)}
        ontable={(to) => (table = to)}
        onlaps={(all) => (loaded = all)}
        onmeasure={(lap) => compare(lap.key)}
      />
    {:else if shown.length}
      <SheetTable day={laps.data} {shown} {show} {chosen} present={current} onchoose={choose} onrow={row} />
    {:else}
      <div class="empty">
        <p>{t.none}</p>
        <button
          type="button"
          class="may"
          onclick={() => {
            driver = null;
            onlyCounting = false;
          }}>{t.all}</button
        >
      </div>
    {/if}
  {/if}
</Book>

{#if chosen.size}
  <HandBar
    count={chosen.size}
    {may}
    bind:reason
    bind:said
    onjudge={(counts) => void judge(counts)}
    oncompare={() => compare()}
    onclear={() => chosen.clear()}
    ontraffic={onlyOne ? () => (traffic = onlyOne.key) : null}
    onmeasure={onlyOneOfAll
      ? () => {
          against = onlyOneOfAll;
          show = 'against';
          chosen.clear();
          if (view === 'all') view = 'sheet';
        }
      : null}
  />
{/if}
{#if traffic && laps.data}
  {@const own = laps.data.laps.find((lap) => lap.key === traffic)}
  {@const run = laps.data.runs.find((item) => item.id === own?.run)}
  {#if own}
    <TrafficSheet
      lap={own}
      who={laps.data.drivers.find((item) => item.driver.id === run?.driver)?.driver.name ?? ''}
      length={laps.data.columns.at(-1)?.to_m ?? 0}
      onclose={() => (traffic = null)}
    />
  {/if}
{/if}
<Keys bind:open={helping} title={t.keysTitle} keys={lapsKeys} />

<style>
  .fields {
    display: grid;
    grid-template-columns: 1fr 1fr;
    gap: 8px;
    margin: 4px 0 12px;
  }
  .fields label {
    display: grid;
    font-size: 11px;
    min-width: 0;
  }
  .fields label:first-child {
    grid-column: 1 / -1;
  }
  .fields .select {
    min-height: 30px;
    padding: 0 24px 0 8px;
    font-size: 13px;
    width: 100%;
  }
  .fields .only {
    display: flex;
    gap: 6px;
    align-items: center;
    align-self: end;
    min-height: 30px;
    font-size: 12px;
  }
  .only input {
    accent-color: var(--accent);
  }
  h2 {
    font-weight: 640;
    font-size: 14px;
    margin-bottom: 4px;
  }
  .rhythm {
    display: grid;
    grid-template-columns: 1fr auto;
    font-size: 12px;
    border-bottom: 1px solid var(--rule);
    padding: 3px 0;
  }
  .rhythm .who {
    font-weight: 560;
    overflow: hidden;
    text-overflow: ellipsis;
    white-space: nowrap;
  }
  .rhythm .muted {
    white-space: nowrap;
  }
  .rhythm :global(svg) {
    grid-column: 1 / -1;
  }
  .help {
    font-size: 12px;
    margin-top: 6px;
  }
  .bar {
    display: flex;
    flex-wrap: wrap;
    gap: 8px;
    align-items: center;
    min-height: 32px;
    margin-bottom: 4px;
    font-size: 13px;
  }
  .bar .may {
    min-height: 28px;
    padding: 0.1rem 0.6rem;
    font-size: 13px;
  }
  .views {
    display: flex;
    gap: 14px;
  }
  .views button {
    padding: 3px 1px;
    color: var(--muted);
    border-bottom: 3px solid transparent;
    cursor: pointer;
  }
  .views button[aria-selected='true'] {
    color: var(--ink);
    font-weight: 620;
    border-bottom-color: var(--accent);
  }
  .grow {
    flex: 1;
  }
  kbd {
    font-family: var(--mono);
    font-stretch: 75%;
    font-size: 0.85em;
    border: 1px solid var(--rule);
    border-radius: 3px;
    padding: 0 5px;
    background: var(--paper);
  }
</style>
