<!-- Labels of many runs in one table, by keyboard alone: proposed, corrected, confirmed. -->
<script lang="ts">
  import { Check } from '@lucide/svelte';
  import { api, done, type HandInList, type LabelChange, type RunDetail } from '$lib/api/client';
  import { noteAction, undoLast } from '$lib/parts/notes.svelte';
  import { texts } from '$lib/words';

  interface Props {
    list: HandInList;
    changed: (runs: RunDetail[]) => void;
    trouble: (error: unknown) => void;
    drivers: { id: number; name: string }[];
    renew: () => Promise<void>;
  }
  let { list, changed, trouble, drivers, renew }: Props = $props();
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

  /** Change labels; what is said of it at the foot of the page takes it back. */
  async function send(runs: number[], change: LabelChange, said: string): Promise<void> {
    const answer = await done(api.POST('/api/runs/labels', { body: { runs, change } }));
    changed(answer.runs);
    noteAction(said, answer.action, async () => {
      const back = runs.map((run_id) =>
        done(api.GET('/api/runs/{run_id}', { params: { path: { run_id } } })),
      );
      changed(await Promise.all(back));
    });
  }

  async function set(row: RunDetail, field: Field, to: string): Promise<void> {
    const before = value(row, field);
    if (to.trim() === before) return;
    const change = (text: string): LabelChange => ({ [field]: text.trim() || null }) as LabelChange;
    try {
      await send([row.run.id], change(to), t.changed(t.columns[field]));
    } catch (error) {
      trouble(error);
    }
  }

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
  let chosen = $state<number[]>([]);
  let field = $state<Field>('kind');
  let given = $state('');
  const marked = $derived(rows.filter((row) => chosen.includes(row.run.id)));
  const options = $derived(
    field === 'kind' ? Object.entries(t.kinds) : field === 'conditions' ? Object.entries(t.conditions) : null,
  );

  function choose(id: number, on: boolean): void {
    chosen = on ? [...chosen, id] : chosen.filter((other) => other !== id);
  }

  async function giveAll(): Promise<void> {
    const ids = marked.map((row) => row.run.id);
    const text = options && !options.some(([code]) => code === given) ? (options[0]?.[0] ?? '') : given;
    if (!ids.length || (!text.trim() && ['driver', 'kind', 'circuit', 'event'].includes(field))) return;
    try {
      const change = { [field]: text.trim() || null } as LabelChange;
      await send(ids, change, t.gave(t.columns[field], ids.length));
      chosen = [];
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

  let body = $state<HTMLElement>();

  function go(row: number, field: Field): void {
    body?.querySelector<HTMLElement>(`[data-row="${row}"][data-field="${field}"]`)?.focus();
  }

  async function key(event: KeyboardEvent, index: number, field: Field): Promise<void> {
    const target = event.currentTarget as HTMLInputElement | HTMLSelectElement;
    const row = rows[index];
    const above = rows[index - 1];
    if (!row) return;
    if (event.key === 'Enter') {
      event.preventDefault();
      await set(row, field, target.value);
      await confirm(event.ctrlKey || event.metaKey ? rows : [row]);
      go(Math.min(index + 1, rows.length - 1), field);
    } else if (event.ctrlKey && (event.key === 'ArrowDown' || event.key === 'ArrowUp')) {
      event.preventDefault();
      go(index + (event.key === 'ArrowDown' ? 1 : -1), field);
    } else if (event.ctrlKey && event.key.toLowerCase() === 'd' && above) {
      event.preventDefault();
      await set(row, field, value(above, field));
    } else if (event.ctrlKey && event.key.toLowerCase() === 'z' && target.value === value(row, field)) {
      event.preventDefault();
      undoLast();
    } else if (event.key === 'Escape') {
      target.value = value(row, field);
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
  <div class="scroll">
    <table>
      <thead>
        <tr
          ><th class="pick"
            ><input
              type="checkbox"
              aria-label={t.chooseAll}
              checked={marked.length === rows.length}
              indeterminate={marked.length > 0 && marked.length < rows.length}
              onchange={(e) => (chosen = e.currentTarget.checked ? rows.map((row) => row.run.id) : [])}
            /></th
          ><th>{t.columns.file}</th>{#each FIELDS as field (field)}<th>{t.columns[field]}</th>{/each}<th
            class="end"
          ></th></tr
        >
      </thead>
      <tbody bind:this={body}>
        {#each rows as row, index (row.run.id)}
          <tr class:open={!row.confirmed}>
            <td class="pick"
              ><input
                type="checkbox"
                aria-label={t.choose(row.run.file_name)}
                checked={chosen.includes(row.run.id)}
                onchange={(e) => choose(row.run.id, e.currentTarget.checked)}
              /></td
            >
            <th scope="row" title={row.run.file_name}>{row.run.file_name}</th>
            {#each FIELDS as field (field)}
              {@const name = t.label(t.columns[field], row.run.file_name)}
              <td class={field} class:proposed={proposed(row, field)} title={told(row, field)}>
                {#if field === 'kind' || field === 'conditions'}
                  <select
                    class="select"
                    aria-label={name}
                    data-row={index}
                    data-field={field}
                    value={value(row, field)}
                    onchange={(e) => set(row, field, e.currentTarget.value)}
                    onkeydown={(e) => key(e, index, field)}
                  >
                    {#each Object.entries(field === 'kind' ? t.kinds : t.conditions) as [code, words] (code)}
                      <option value={code}>{words}</option>
                    {/each}
                  </select>
                {:else}
                  <input
                    class="input"
                    type={field === 'started_at' ? 'datetime-local' : 'text'}
                    aria-label={name}
                    data-row={index}
                    data-field={field}
                    list={field === 'driver' ? 'drivers' : field === 'car' ? 'cars' : undefined}
                    maxlength={field === 'notes' || field === 'felt' ? 4000 : 200}
                    value={value(row, field)}
                    onchange={(e) => set(row, field, e.currentTarget.value)}
                    onkeydown={(e) => key(e, index, field)}
                  />
                {/if}
              </td>
            {/each}
            <td class="end">
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
            </td>
          </tr>
        {/each}
      </tbody>
    </table>
  </div>
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
  .scroll {
    overflow-x: auto;
  }
  table {
    border-collapse: collapse;
    font-size: 13px;
  }
  thead th {
    text-align: left;
    font-size: 12px;
    font-weight: 520;
    color: var(--muted);
    padding: 4px 6px 4px 0;
    border-bottom: 1px solid var(--rule);
    white-space: nowrap;
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
  .pick {
    width: 30px;
    min-width: 30px;
    position: sticky;
    left: 0;
    z-index: 1;
    background: var(--paper);
    text-align: center;
  }
  .pick input {
    width: 16px;
    height: 16px;
    vertical-align: middle;
  }
  /* However wide the labels are, a row can be confirmed where it is looked at. */
  .end {
    position: sticky;
    right: 0;
    z-index: 1;
    background: var(--paper);
    box-shadow: -1px 0 0 var(--rule);
    padding-inline: 8px 2px;
  }
  tbody th {
    position: sticky;
    left: 30px;
    z-index: 1;
    background: var(--paper);
    text-align: left;
    font-weight: 520;
    max-width: 170px;
    padding-right: 10px;
    overflow: hidden;
    text-overflow: ellipsis;
    white-space: nowrap;
  }
  td,
  tbody th {
    border-bottom: 1px solid var(--rule);
    padding-block: 3px;
  }
  td {
    padding-right: 4px;
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
  .conditions .select {
    width: 86px;
  }
  .driver .input {
    width: 112px;
  }
  .started_at .input {
    width: 184px;
  }
  .notes .input,
  .felt .input {
    width: 210px;
  }
  .proposed .input,
  .proposed .select {
    font-style: italic;
    color: var(--muted);
  }
  .open > .pick {
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
