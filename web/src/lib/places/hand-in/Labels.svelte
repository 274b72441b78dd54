<!-- Labels of many runs in one table, by keyboard alone: proposed, corrected, confirmed. -->
<script lang="ts">
  import { Check } from '@lucide/svelte';
  import {
    api,
    done,
    type HandInList,
    type LabelChange,
    type ManyRuns,
    type RunDetail,
  } from '$lib/api/client';
  import { SvelteSet } from 'svelte/reactivity';
  import { noteAction, undoLast, sendUnlessChanged } from '$lib/parts/notes.svelte';
  import { asIs, type TableColumn, type TableView } from '$lib/parts/table/columns';
  import DataTable from '$lib/parts/table/DataTable.svelte';
  import { texts } from '$lib/words';

  interface Props {
    list: HandInList;
    changed: (runs: RunDetail[]) => void;
    trouble: (error: unknown) => void;
    drivers: { id: number; name: string }[];
    renew: () => Promise<void>;
    /** the last row that is known came into sight */
    onend: () => void;
  }
  let { list, changed, trouble, drivers, renew, onend }: Props = $props();
  const t = texts.handIn.labels;

  type Field =
    | 'driver'
    | 'car'
    | 'circuit'
    | 'event'
    | 'started_at'
    | 'kind'
    | 'conditions'
    | 'tyres'
    | 'notes'
    | 'felt';
  const FIELDS: Field[] = [
    'driver',
    'kind',
    'conditions',
    'car',
    'tyres',
    'event',
    'started_at',
    'circuit',
    'felt',
    'notes',
  ];
  const rows = $derived(list.hand_ins.flatMap((item) => (item.run ? [item.run] : [])));
  const open = $derived(rows.filter((row) => !row.confirmed));

  function value(row: RunDetail, field: Field): string {
    switch (field) {
      case 'driver':
        return row.run.driver.name;
      case 'car':
        return row.run.car ?? '';
      case 'circuit':
        return row.event.circuit;
      case 'event':
        return row.event.name;
      case 'started_at':
        return row.run.started_at?.slice(0, 16) ?? '';
      case 'kind':
        return row.run.kind;
      default:
        return row[field] ?? '';
    }
  }

  const source = (row: RunDetail, field: Field) =>
    row.labels_from[field === 'started_at' ? 'started' : field === 'circuit' ? 'layout' : field];
  const proposed = (row: RunDetail, field: Field) =>
    !row.confirmed &&
    !['person', 'driver'].includes(row.labels_from[field] ?? source(row, field) ?? 'person');
  const told = (row: RunDetail, field: Field) =>
    t.sources[row.labels_from[field] ?? source(row, field) ?? ''] ?? '';

  type Was = Record<string, Record<string, string | null>>;

  /** Change labels; what is said of it at the foot of the page takes it back. */
  async function send(runs: number[], change: LabelChange, said: string, was?: Was): Promise<boolean> {
    const ask = (insisting: boolean) =>
      done(api.POST('/api/runs/labels', { body: { runs, change, was: insisting ? null : was } }));
    const answer = await sendUnlessChanged(ask, (kept) => sent(runs, kept, said));
    if (answer) sent(runs, answer, said);
    else await look(runs); // what somebody else wrote meanwhile
    return answer !== undefined;
  }

  async function look(runs: number[]): Promise<void> {
    const asked = runs.map((run_id) => done(api.GET('/api/runs/{run_id}', { params: { path: { run_id } } })));
    changed(await Promise.all(asked));
  }

  function sent(runs: number[], answer: ManyRuns, said: string): void {
    changed(answer.runs);
    noteAction(said, answer.action, () => look(runs));
  }

  /** Change a label; false where somebody else changed it meanwhile, or it could not be kept. */
  async function set(row: RunDetail, field: Field, to: string): Promise<boolean> {
    const before = value(row, field);
    if (to.trim() === before) return true;
    const change = (text: string): LabelChange => ({ [field]: text.trim() || null }) as LabelChange;
    try {
      return await send([row.run.id], change(to), t.changed(t.columns[field]), {
        [row.run.id]: seen(row, field),
      });
    } catch (error) {
      trouble(error);
      return false;
    }
  }

  /** What stands in a row's field, as the server keeps it. */
  const seen = (row: RunDetail, field: Field): Record<string, string | null> => ({
    [field]: (field === 'started_at' ? row.run.started_at : value(row, field)) || null,
  });

  async function confirm(runs: RunDetail[]): Promise<void> {
    const ids = runs.filter((row) => !row.confirmed).map((row) => row.run.id);
    if (!ids.length) return;
    try {
      await send(ids, { confirmed: true }, t.confirmedRows(ids.length));
    } catch (error) {
      trouble(error);
    }
  }

  // Runs that one label is given to at once.
  const chosen = new SvelteSet<string>();
  let field = $state<Field>('kind');
  let given = $state('');
  const id = (row: RunDetail) => String(row.run.id);
  const marked = $derived(rows.filter((row) => chosen.has(id(row))));
  const options = $derived(
    field === 'kind' ? Object.entries(t.kinds) : field === 'conditions' ? Object.entries(t.conditions) : null,
  );

  let view = $state<TableView>(asIs);
  const words = (row: RunDetail, own: Field): string => {
    const text = value(row, own);
    if (own === 'kind') return t.kinds[text] ?? text;
    return own === 'conditions' ? (t.conditions[text] ?? text) : text.replace('T', ' ');
  };
  const columns = $derived<TableColumn<RunDetail>[]>([
    {
      id: 'file',
      header: t.columns.file,
      heads: true,
      pinned: 'left',
      value: (row) => row.run.file_name,
      text: (row) => row.run.file_name,
    },
    ...FIELDS.map((own) => ({
      id: own,
      header: t.columns[own],
      value: (row: RunDetail) => words(row, own) || null,
      text: (row: RunDetail) => words(row, own),
    })),
    {
      id: 'confirmed',
      header: '',
      title: t.confirmed,
      pinned: 'right',
      value: (row) => Number(row.confirmed),
      text: (row) => (row.confirmed ? t.confirmed : ''),
    },
  ]);

  async function giveAll(): Promise<void> {
    const ids = marked.map((row) => row.run.id);
    const text = options && !options.some(([code]) => code === given) ? (options[0]?.[0] ?? '') : given;
    if (!ids.length || (!text.trim() && ['driver', 'kind', 'circuit', 'event'].includes(field))) return;
    try {
      const change = { [field]: text.trim() || null } as LabelChange;
      await send(ids, change, t.gave(t.columns[field], ids.length));
      chosen.clear();
    } catch (error) {
      trouble(error);
    }
  }

  // One driver who came under two names.
  let gone = $state('');
  let kept = $state('');

  async function join(): Promise<void> {
    const [one, other] = [gone, kept].map((id) => drivers.find((driver) => String(driver.id) === id));
    if (!one || !other || one.id === other.id) return;
    try {
      const answer = await done(
        api.POST('/api/drivers/{driver_id}/join', {
          params: { path: { driver_id: one.id } },
          body: { into: other.id },
        }),
      );
      [gone, kept] = ['', ''];
      noteAction(t.joined(one.name, other.name), answer.action, renew);
      await renew();
    } catch (error) {
      trouble(error);
    }
  }

  /** The same label of the row below or above, as the table stands; itself at the table's end. */
  function go(target: HTMLElement, down: boolean, own: Field): void {
    const row = target.closest('tr');
    const next = down ? row?.nextElementSibling : row?.previousElementSibling;
    const there = next?.querySelector<HTMLElement>(`[data-field="${own}"]`) ?? target;
    there.focus();
    there.scrollIntoView({ block: 'nearest' });
  }

  async function key(event: KeyboardEvent, row: RunDetail, own: Field): Promise<void> {
    const target = event.currentTarget as HTMLInputElement | HTMLSelectElement;
    const above = target
      .closest('tr')
      ?.previousElementSibling?.querySelector<HTMLInputElement>(`[data-field="${own}"]`);
    if (event.key === 'Enter') {
      event.preventDefault();
      if (!(await set(row, own, target.value))) return;
      await confirm(event.ctrlKey || event.metaKey ? rows : [row]);
      go(target, true, own);
    } else if (event.ctrlKey && (event.key === 'ArrowDown' || event.key === 'ArrowUp')) {
      event.preventDefault();
      go(target, event.key === 'ArrowDown', own);
    } else if (event.ctrlKey && event.key.toLowerCase() === 'd' && above) {
      event.preventDefault();
      await set(row, own, above.value);
    } else if (event.ctrlKey && event.key.toLowerCase() === 'z' && target.value === value(row, own)) {
      event.preventDefault();
      undoLast();
    } else if (event.key === 'Escape') {
      target.value = value(row, own);
    }
  }
</script>

{#if !rows.length}
  <p class="none muted">{t.none}</p>
{:else}
  <div class="head">
    <p class="muted">{open.length ? t.lead : t.allConfirmed}</p>
    {#if open.length}<button type="button" class="do" onclick={() => confirm(rows)}
        >{t.confirmAll(open.length)}</button
      >{/if}
  </div>
  {#if marked.length}
    <form
      class="many"
      onsubmit={(event) => {
        event.preventDefault();
        void giveAll();
      }}
    >
      <strong>{t.chosen(marked.length)}</strong>
      <select class="select" aria-label={t.giveField} bind:value={field}>
        {#each FIELDS as item (item)}<option value={item}>{t.columns[item]}</option>{/each}
      </select>
      {#if options}
        <select class="select" aria-label={t.giveValue} bind:value={given}>
          {#each options as [code, words] (code)}<option value={code}>{words}</option>{/each}
        </select>
      {:else}
        <input
          class="input"
          type={field === 'started_at' ? 'datetime-local' : 'text'}
          aria-label={t.giveValue}
          list={field === 'driver' ? 'drivers' : field === 'car' ? 'cars' : undefined}
          maxlength="200"
          bind:value={given}
        />
      {/if}
      <button type="submit" class="do">{t.give}</button>
    </form>
  {/if}
  <DataTable
    label={t.table}
    {columns}
    {rows}
    key={id}
    {view}
    onview={(to) => (view = to)}
    {chosen}
    {onend}
    chooseName={(row) => t.choose(row.run.file_name)}
    chooseAllName={t.chooseAll}
    rowHeight={36}
    rowLook={(row) => (row.confirmed ? '' : 'open')}
    height="max(320px, calc(100vh - 330px))"
  >
    {#snippet cell(row, column)}
      {#if column.id === 'file'}
        {row.run.file_name}
      {:else if column.id === 'confirmed'}
        {#if row.confirmed}
          <span class="done" title={t.confirmed}><Check size={16} aria-label={t.confirmed} /></span>
        {:else}
          <button
            type="button"
            class="small"
            aria-label="{t.confirm}: {row.run.file_name}"
            onclick={() => confirm([row])}>{t.confirm}</button
          >
        {/if}
      {:else}
        {@const own = column.id as Field}
        {@const name = t.label(column.header, row.run.file_name)}
        {#if own === 'kind' || own === 'conditions'}
          <select
            class="select {own}"
            class:proposed={proposed(row, own)}
            aria-label={name}
            title={told(row, own)}
            data-field={own}
            value={value(row, own)}
            onchange={(e) => set(row, own, e.currentTarget.value)}
            onkeydown={(e) => key(e, row, own)}
          >
            {#each Object.entries(own === 'kind' ? t.kinds : t.conditions) as [code, text] (code)}
              <option value={code}>{text}</option>
            {/each}
          </select>
        {:else}
          <input
            class="input {own}"
            class:proposed={proposed(row, own)}
            type={own === 'started_at' ? 'datetime-local' : 'text'}
            aria-label={name}
            title={told(row, own)}
            data-field={own}
            list={own === 'driver' ? 'drivers' : own === 'car' ? 'cars' : undefined}
            maxlength={own === 'notes' || own === 'felt' ? 4000 : 200}
            value={value(row, own)}
            onchange={(e) => set(row, own, e.currentTarget.value)}
            onkeydown={(e) => key(e, row, own)}
          />
        {/if}
      {/if}
    {/snippet}
  </DataTable>
  {#if drivers.length > 1}
    <form
      class="join"
      onsubmit={(event) => {
        event.preventDefault();
        void join();
      }}
    >
      <span class="muted">{t.twoNames}</span>
      <select class="select" aria-label={t.joinGone} bind:value={gone}>
        <option value="">{t.joinGone}</option>
        {#each drivers as driver (driver.id)}<option value={String(driver.id)}>{driver.name}</option>{/each}
      </select>
      <span class="muted">{t.is}</span>
      <select class="select" aria-label={t.joinKept} bind:value={kept}>
        <option value="">{t.joinKept}</option>
        {#each drivers as driver (driver.id)}<option value={String(driver.id)}>{driver.name}</option>{/each}
      </select>
      <button type="submit" class="may" disabled={!gone || !kept || gone === kept}>{t.join}</button>
    </form>
  {/if}
  <dl class="keys">
    {#each t.keys as [keys, what] (keys)}<div>
        <dt><kbd>{keys}</kbd></dt>
        <dd>{what}</dd>
      </div>{/each}
  </dl>
{/if}

<style>
  .head {
    display: flex;
    justify-content: space-between;
    align-items: center;
    gap: 16px;
    min-height: 44px;
  }
  .many {
    display: flex;
    flex-wrap: wrap;
    gap: 6px 10px;
    align-items: center;
    padding: 4px 0 8px;
    font-size: 13px;
  }
  .join {
    display: flex;
    flex-wrap: wrap;
    gap: 6px 10px;
    align-items: center;
    padding: 14px 0 0;
    font-size: 13px;
  }
  .join .select,
  .many .input,
  .many .select {
    border-color: var(--field);
    background-color: var(--sheet);
    width: auto;
    min-width: 130px;
  }
  .input,
  .select {
    width: 132px;
    padding: 2px 6px;
    font-size: 13px;
    border-color: transparent;
    background-color: transparent;
  }
  .input:hover,
  .select:hover,
  .input:focus,
  .select:focus {
    border-color: var(--field);
    background-color: var(--sheet);
  }
  .select {
    width: 112px;
    padding-right: 24px;
  }
  .select.conditions {
    width: 86px;
  }
  .input.driver {
    width: 112px;
  }
  .input.started_at {
    width: 184px;
  }
  .input.notes,
  .input.felt {
    width: 210px;
  }
  .input.proposed,
  .select.proposed {
    font-style: italic;
    color: var(--muted);
  }
  :global(tr.open > .tick) {
    box-shadow: inset 3px 0 0 var(--brass);
  }
  .small {
    min-height: 28px;
    padding: 0 8px;
    color: var(--accent);
    border-radius: 4px;
    cursor: pointer;
    font-weight: 560;
  }
  .small:hover {
    background: var(--strip);
  }
  .done {
    display: grid;
    place-items: center;
    color: var(--gain-text);
    min-height: 28px;
  }
  .keys {
    display: flex;
    flex-wrap: wrap;
    gap: 6px 22px;
    padding: 14px 0 30px;
    font-size: 12.5px;
    color: var(--muted);
  }
  .keys div {
    display: flex;
    gap: 6px;
    align-items: baseline;
  }
  kbd {
    font-family: inherit;
    border: 1px solid var(--rule);
    border-radius: 4px;
    padding: 1px 5px;
    background: var(--sheet);
    color: var(--ink);
  }
  .none {
    padding: 40px 0;
  }
</style>
