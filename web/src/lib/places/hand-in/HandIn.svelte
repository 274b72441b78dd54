<script lang="ts">
  import { goto } from '$app/navigation';
  import { page } from '$app/state';
  import { createQuery, keepPreviousData, useQueryClient } from '@tanstack/svelte-query';
  import { api, done, type HandIn, type HandInList, type RunDetail } from '$lib/api/client';
  import { keys } from '$lib/api/keys';
  import { merge } from './merge';
  import Channels from '$lib/places/hand-in/Channels.svelte';
  import DropPlace from '$lib/places/hand-in/DropPlace.svelte';
  import Account from '$lib/places/hand-in/Account.svelte';
  import FirstSteps from '$lib/places/hand-in/FirstSteps.svelte';
  import Fate from '$lib/places/hand-in/Fate.svelte';
  import Filters from '$lib/parts/Filters.svelte';
  import Labels from '$lib/places/hand-in/Labels.svelte';
  import Links from '$lib/places/hand-in/Links.svelte';
  import Loggers from '$lib/places/hand-in/Loggers.svelte';
  import Outgoing from '$lib/places/hand-in/Outgoing.svelte';
  import Stream from '$lib/places/hand-in/Stream.svelte';
  import Book from '$lib/parts/Book.svelte';
  import { note, noteAction, noteUndo } from '$lib/parts/notes.svelte';
  import Trouble from '$lib/parts/Trouble.svelte';
  import { couldBeLogs, Outbox } from '$lib/sending/sending.svelte';
  import { texts } from '$lib/words';

  const t = texts.handIn;
  /** looks at what changed between two whole answers */
  const WHOLE_EVERY = 40;
  const queries = useQueryClient();
  const at = (name: string) => page.url.searchParams.get(name);
  const view = $derived(at('view') === 'labels' ? 'labels' : 'files');
  const asked = $derived({
    age: Number(at('age') ?? 7),
    event: Number(at('event')) || undefined,
    driver: Number(at('driver')) || undefined,
    car: Number(at('car')) || undefined,
    circuit: Number(at('circuit')) || undefined,
    state: (at('fate') ?? '') as '' | 'open' | 'taken' | 'trouble',
    // Labels are those of runs: files that became none must not stand in their way.
    runs: view === 'labels' || undefined,
  });
  const channelsOf = $derived(Number(at('channels')) || null);
  const fileOf = $derived(Number(at('file')) || null);

  // A busy list is looked at often: after the first answer only what changed since is asked for, and now and then all.
  let known: { asked: string; list: HandInList; looks: number } | null = null;

  async function look(signal: AbortSignal): Promise<HandInList> {
    const now = JSON.stringify(asked);
    const before = known?.asked === now && known.looks < WHOLE_EVERY ? known : null;
    const query = { ...asked, ...(before ? { since: before.list.as_of } : {}) };
    const answer = await done(api.GET('/api/hand-ins', { params: { query }, signal }));
    known = before
      ? { asked: now, list: merge(before.list, answer), looks: answer.more ? WHOLE_EVERY : before.looks + 1 }
      : { asked: now, list: answer, looks: 0 };
    return known.list;
  }

  const list = createQuery<HandInList>(() => ({
    queryKey: keys.handIns(asked),
    queryFn: ({ signal }) => look(signal),
    placeholderData: keepPreviousData,
    refetchInterval: (query) =>
      query.state.data?.hand_ins.some(
        (item) => item.state === 'waiting' || item.state === 'running' || item.run?.renewing,
      )
        ? 600
        : 8_000,
  }));
  const offered = $derived(list.data?.choices);
  // Older files that were asked for; the newest ones come with the query.
  let older = $state<HandIn[]>([]);
  let olderMore = $state<boolean | null>(null);
  $effect(() => {
    void asked;
    older = [];
    olderMore = null;
  });
  const shown = $derived.by(() => {
    const fresh = list.data?.hand_ins ?? [];
    const known = fresh.map((item) => item.id);
    return [...fresh, ...older.filter((item) => !known.includes(item.id))];
  });

  // A team that has not compared anything yet is led there; nobody else is held up by it.
  const beginning = $derived(
    list.data !== undefined &&
      !list.data.hidden &&
      (offered?.events.length ?? 0) <= 1 &&
      shown.length <= 12 &&
      shown.filter((item) => item.run?.confirmed).length === 0,
  );

  let driver = $state('');
  let trouble = $state<unknown>(null);

  async function renew(): Promise<void> {
    await list.refetch();
    await queries.invalidateQueries({ queryKey: keys.anyPaddock() });
    await queries.invalidateQueries({ queryKey: keys.anyDesk() });
  }
  const outbox = new Outbox('/api', () => void renew());

  function take(files: File[], whole: boolean): void {
    const { good, others } = whole ? couldBeLogs(files, offered?.endings ?? []) : { good: files, others: 0 };
    outbox.add(good, driver);
    if (others) note(t.notLogs(others));
  }

  async function attempt(work: () => Promise<unknown>): Promise<void> {
    trouble = null;
    try {
      await work();
    } catch (error) {
      trouble = error;
    }
    await renew();
  }

  const act = (what: 'cancel' | 'retry' | 'dismiss', item: HandIn) =>
    attempt(async () => {
      const params = { path: { hand_in_id: item.id } };
      if (what === 'cancel') await done(api.POST('/api/hand-ins/{hand_in_id}/cancel', { params }));
      else if (what === 'retry') await done(api.POST('/api/hand-ins/{hand_in_id}/retry', { params }));
      else {
        await done(api.DELETE('/api/hand-ins/{hand_in_id}', { params }));
        older = older.filter((other) => other.id !== item.id);
        known = null;
        noteUndo(t.dismissed(item.file_name), () =>
          attempt(() => done(api.POST('/api/hand-ins/{hand_in_id}/restore', { params }))),
        );
      }
    });

  const place = (item: HandIn, layout: number | null, turned = false) =>
    attempt(() =>
      done(
        api.POST('/api/hand-ins/{hand_in_id}/retry', {
          params: { path: { hand_in_id: item.id }, query: layout === null ? {} : { layout, turned } },
        }),
      ),
    );

  const callCircuit = (item: HandIn, name: string) =>
    attempt(async () => {
      const run = item.run?.run.id;
      if (run === undefined) return;
      const answer = await done(
        api.POST('/api/runs/labels', { body: { runs: [run], change: { circuit: name } } }),
      );
      noteAction(t.newCircuit.called(name), answer.action, renew);
    });

  async function drove(item: HandIn, name: string): Promise<void> {
    const before = item.run?.run.driver.name;
    if (!item.run || !before || !name.trim() || name.trim() === before) return;
    const run_id = item.run.run.id;
    await attempt(async () => {
      const answer = await done(
        api.PATCH('/api/runs/{run_id}', { params: { path: { run_id } }, body: { driver: name.trim() } }),
      );
      changed([answer]);
      noteAction(t.labels.changed(t.drove), answer.action, async () => {
        changed([await done(api.GET('/api/runs/{run_id}', { params: { path: { run_id } } }))]);
      });
    });
  }

  /** Put changed runs into what is shown at once; the next fetch confirms it. */
  function changed(runs: RunDetail[]): void {
    const swap = (item: HandIn): HandIn => {
      const run = runs.find((other) => other.run.id === item.run?.run.id);
      return run ? { ...item, run } : item;
    };
    queries.setQueryData<HandInList>(keys.handIns(asked), (data) =>
      data ? { ...data, hand_ins: data.hand_ins.map(swap) } : data,
    );
    if (known) known = { ...known, list: { ...known.list, hand_ins: known.list.hand_ins.map(swap) } };
    older = older.map(swap);
    void renew();
  }

  let fetching = false;
  async function more(): Promise<void> {
    if (fetching) return;
    fetching = true;
    const last = shown[shown.length - 1];
    await attempt(async () => {
      try {
        const next = await done(
          api.GET('/api/hand-ins', { params: { query: { ...asked, before: last?.id } } }),
        );
        older = [...older, ...next.hand_ins];
        olderMore = next.more;
      } finally {
        fetching = false;
      }
    });
  }

  function go(change: Record<string, string | null>): void {
    const url = new URL(page.url);
    for (const [name, value] of Object.entries(change)) {
      if (value === null) url.searchParams.delete(name);
      else url.searchParams.set(name, value);
    }
    void goto(url, { keepFocus: true, noScroll: true });
  }

  const choices = (items: { id: number; name: string }[] | undefined): [string, string][] => [
    ['', t.filters.any],
    ...(items ?? []).map((item): [string, string] => [String(item.id), item.name]),
  ];
  const filters = $derived([
    {
      name: 'age',
      label: t.filters.age,
      usual: '7',
      choices: ['1', '7', '30', '0'].map((n): [string, string] => [n, t.filters.ages[Number(n)] ?? n]),
    },
    { name: 'fate', label: t.filters.state, usual: '', choices: Object.entries(t.filters.states) },
    { name: 'driver', label: t.filters.driver, usual: '', choices: choices(offered?.drivers) },
    { name: 'car', label: t.filters.car, usual: '', choices: choices(offered?.cars) },
    { name: 'circuit', label: t.filters.circuit, usual: '', choices: choices(offered?.circuits) },
    { name: 'event', label: t.filters.event, usual: '', choices: choices(offered?.events) },
  ]);
  const channelsName = $derived(
    shown.find((item) => (channelsOf ? item.run?.run.id === channelsOf : item.id === fileOf))?.file_name ??
      '',
  );
</script>

<svelte:head><title>{t.title} · {texts.name}</title></svelte:head>
<svelte:window
  onbeforeunload={(event) => {
    if (outbox.busy) event.preventDefault();
  }}
  ononline={() => outbox.items.forEach((item) => item.now())}
/>

<Book>
  {#snippet left()}
    <h1>{t.title}</h1>
    <datalist id="drivers"
      >{#each offered?.drivers ?? [] as item (item.id)}<option value={item.name}></option>{/each}</datalist
    >
    <datalist id="cars"
      >{#each offered?.cars ?? [] as item (item.id)}<option value={item.name}></option>{/each}</datalist
    >
    <div class="ways">
      <DropPlace {take} />
      <label class="driver"
        ><span>{t.driver}</span>
        <input
          class="input"
          list="drivers"
          placeholder={t.fromFile}
          title={t.driverHint}
          maxlength="200"
          bind:value={driver}
        /></label
      >
      <Links wanted={at('link') ?? ''} />
      <Loggers {driver} fetched={() => void renew()} />
      <Stream />
    </div>
  {/snippet}

  <div class="top">
    <div class="views" role="tablist" aria-label={t.title}>
      {#each Object.entries(t.views) as [code, words] (code)}
        <button
          type="button"
          role="tab"
          aria-selected={view === code}
          onclick={() => go({ view: code === 'files' ? null : code })}>{words}</button
        >
      {/each}
    </div>
    <Filters {filters} />
  </div>
  {#if trouble}<Trouble error={trouble} />{/if}
  {#if list.error}
    <Trouble error={list.error} again={() => void list.refetch()} />
  {:else if !list.data}
    <p class="muted">{texts.loading}</p>
  {:else}
    {#if beginning}<FirstSteps files={shown} />{/if}
    {#if list.data.account}
      <Account
        account={list.data.account}
        showAll={() => go({ age: '0', fate: null, driver: null, car: null, circuit: null, event: null })}
      />
    {/if}
    {#if outbox.items.length}
      <ul class="files" aria-live="polite">
        {#each outbox.items as item (item.id)}<li class="going"><Outgoing {item} {outbox} /></li>{/each}
      </ul>
    {/if}
    {#if view === 'labels'}
      <Labels
        list={{ ...list.data, hand_ins: shown }}
        drivers={offered?.drivers ?? []}
        {changed}
        {renew}
        onend={() => {
          if (olderMore ?? list.data.more) void more();
        }}
        trouble={(error) => (trouble = error)}
      />
    {:else}
      <ul class="files">
        {#each shown as item (item.id)}
          <Fate
            {item}
            {act}
            {drove}
            {place}
            correct={(item) => go({ file: String(item.id) })}
            {callCircuit}
            circuits={offered?.circuits ?? []}
            openChannels={(run) => go({ channels: String(run) })}
            changed={(run) => changed([run])}
            trouble={(error) => (trouble = error)}
          />
        {:else}
          {#if !outbox.items.length}
            <li class="none">
              <strong>{list.data.hidden ? t.emptyFiltered : t.emptyTitle}</strong>
              {#if !list.data.hidden}<p class="muted">{t.empty}</p>{/if}
            </li>
          {/if}
        {/each}
      </ul>
    {/if}
    <div class="foot">
      {#if olderMore ?? list.data.more}<button type="button" class="may" onclick={more}>{t.more}</button>{/if}
      {#if list.data.hidden}
        <span class="muted">{t.hidden(list.data.hidden)}</span>
        <button
          type="button"
          class="may"
          onclick={() => go({ age: '0', fate: null, driver: null, car: null, circuit: null, event: null })}
          >{t.showAll}</button
        >
      {/if}
    </div>
  {/if}
</Book>

{#if channelsOf || fileOf}
  {#key `${channelsOf} ${fileOf}`}
    <Channels
      run={channelsOf}
      file={fileOf}
      name={channelsName}
      close={() => go({ channels: null, file: null })}
      kept={() => void renew()}
    />
  {/key}
{/if}

<style>
  h1 {
    font-size: 20px;
    font-weight: 640;
    margin: 14px 0 10px;
  }
  .ways {
    display: grid;
    grid-template-columns: minmax(0, 1fr);
    gap: 14px;
  }
  .ways :global(h2) {
    font-weight: 600;
    margin-bottom: 2px;
  }
  .driver {
    display: grid;
    grid-template-columns: auto minmax(0, 1fr);
    gap: 10px;
    align-items: center;
  }
  .driver .input {
    padding: 3px 8px;
  }
  .top {
    display: flex;
    flex-wrap: wrap;
    gap: 8px 14px;
    align-items: end;
    justify-content: space-between;
    padding-bottom: 8px;
    border-bottom: 1px solid var(--rule);
  }
  .views {
    display: flex;
    gap: 4px;
  }
  .views button {
    min-height: 34px;
    padding: 0 10px;
    border-radius: 5px;
    font-weight: 560;
    color: var(--muted);
    cursor: pointer;
  }
  .views button[aria-selected='true'] {
    background: var(--strip);
    color: var(--ink);
  }
  .files {
    display: grid;
    grid-template-columns: minmax(0, 1fr);
  }
  .going {
    padding: 10px 0;
    border-bottom: 1px solid var(--rule);
    display: grid;
    gap: 6px;
  }
  .files :global(.line) {
    display: flex;
    align-items: center;
    gap: 14px;
    flex-wrap: wrap;
    min-height: 32px;
  }
  .files :global(.file) {
    flex: 1;
    min-width: 120px;
    overflow: hidden;
    text-overflow: ellipsis;
    white-space: nowrap;
    font-weight: 560;
  }
  :global(.icon) {
    width: 32px;
    height: 32px;
    display: grid;
    place-items: center;
    border-radius: 5px;
    cursor: pointer;
  }
  :global(.icon:hover) {
    background: var(--strip);
  }
  .none {
    padding: 56px 0;
  }
  .foot {
    display: flex;
    gap: 14px;
    align-items: center;
    padding: 14px 0 40px;
  }
</style>
