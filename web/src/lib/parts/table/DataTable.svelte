<!--
  The one table for lists: sorts and filters by every column, is walked and chosen by keyboard, keeps its head in sight,
  draws only the rows in view, and copies as text.
-->
<script lang="ts" generics="T extends object">
  import {
    columnFilteringFeature,
    createFilteredRowModel,
    createSortedRowModel,
    createTable,
    rowSortingFeature,
    tableFeatures,
  } from '@tanstack/svelte-table';
  import { createVirtualizer } from '@tanstack/svelte-virtual';
  import { ArrowDown, ArrowUp, Copy, Filter } from '@lucide/svelte';
  import { tick, untrack, type Snippet } from 'svelte';
  import type { SvelteSet } from 'svelte/reactivity';
  import { get } from 'svelte/store';
  import { note } from '$lib/parts/notes.svelte';
  import { asText, compare, matches, type TableColumn, type TableView } from '$lib/parts/table/columns';
  import { texts } from '$lib/words';

  interface Props {
    label: string;
    columns: TableColumn<T>[];
    rows: T[];
    key: (row: T) => string;
    view: TableView;
    onview: (view: TableView) => void;
    chosen?: SvelteSet<string>;
    /** Enter, or a double click, on a row */
    onopen?: (row: T) => void;
    /** replaces the text of a cell */
    cell?: Snippet<[T, TableColumn<T>]>;
    /** stands before the buttons over the table */
    over?: Snippet;
    height?: string;
    /** of a row, pixels: all are alike, so that those out of sight need not be drawn */
    rowHeight?: number;
    /** what the box of a row, and that of all rows, is called */
    chooseName?: (row: T) => string;
    chooseAllName?: string;
    /** classes of a row */
    rowLook?: (row: T) => string;
    /** more can be had beyond the last row */
    onend?: () => void;
    empty?: string;
  }
  let {
    label,
    columns,
    rows,
    key,
    view,
    onview,
    chosen,
    onopen,
    cell,
    over,
    height = '460px',
    rowHeight = 28,
    chooseName,
    chooseAllName,
    rowLook,
    onend,
    empty = texts.table.empty,
  }: Props = $props();

  const t = texts.table;
  const features = tableFeatures({
    columnFilteringFeature,
    filteredRowModel: createFilteredRowModel(),
    rowSortingFeature,
    sortedRowModel: createSortedRowModel(),
  });
  const down = $derived(view.sort?.startsWith('-') ?? false);
  const sorting = $derived(view.sort ? [{ id: view.sort.replace(/^-/, ''), desc: down }] : []);
  const filters = $derived(
    Object.entries(view.find)
      .filter(([, text]) => text !== '')
      .map(([id, value]) => ({ id, value })),
  );
  const table = createTable({
    features,
    get data() {
      return rows;
    },
    get columns() {
      return columns.map((own) => ({
        id: own.id,
        accessorFn: (row: T) => own.value(row),
        filterFn: (row: { original: T }, _: string, wanted: unknown) =>
          matches(own.text(row.original), String(wanted), own.numeric ?? false),
        // The library turns the result round where it sorts from the largest; what is missing comes last either way.
        sortFn: (a: { original: T }, b: { original: T }) =>
          (down ? -1 : 1) * compare(own.value(a.original), own.value(b.original), down),
        sortUndefined: false as const,
      }));
    },
    state: {
      get sorting() {
        return sorting;
      },
      get columnFilters() {
        return filters;
      },
    },
  });
  const shown = $derived(table.getRowModel().rows.map((row) => row.original));
  const some = $derived(chosen ? shown.filter((row) => chosen.has(key(row))).length : 0);

  let filtering = $state(untrack(() => Object.keys(view.find).length > 0));
  let present = $state<string | null>(null);
  let anchor: string | null = null;
  let scroller = $state<HTMLDivElement>();
  const virtual = createVirtualizer<HTMLDivElement, HTMLTableRowElement>({
    count: 0,
    getScrollElement: () => scroller ?? null,
    estimateSize: () => untrack(() => rowHeight),
    overscan: 14,
  });
  $effect(() => {
    const count = shown.length;
    if (!scroller) return;
    untrack(() => get(virtual).setOptions({ count, getScrollElement: () => scroller ?? null }));
  });
  const items = $derived($virtual.getVirtualItems().filter((item) => item.index < shown.length));
  const above = $derived(items[0]?.start ?? 0);
  const below = $derived(Math.max(0, shown.length * rowHeight - (items.at(-1)?.end ?? 0)));
  $effect(() => {
    const last = items.at(-1)?.index ?? -1;
    if (onend && last >= shown.length - 5 && shown.length) untrack(onend);
  });

  function sort(id: string): void {
    const next = view.sort === id ? `-${id}` : view.sort === `-${id}` ? null : id;
    onview({ ...view, sort: next });
  }

  function find(id: string, text: string): void {
    const kept = Object.fromEntries(Object.entries(view.find).filter(([own]) => own !== id));
    onview({ ...view, find: text ? { ...kept, [id]: text } : kept });
  }

  function choose(from: number, to: number, on: boolean): void {
    if (!chosen) return;
    for (const row of shown.slice(Math.min(from, to), Math.max(from, to) + 1)) {
      if (on) chosen.add(key(row));
      else chosen.delete(key(row));
    }
  }

  const at = (wanted: string | null) =>
    wanted === null ? -1 : shown.findIndex((row) => key(row) === wanted);

  function press(event: MouseEvent, index: number): void {
    const row = shown[index];
    if (!row) return;
    const own = key(row);
    if (chosen) {
      if (event.shiftKey && at(anchor) >= 0) choose(at(anchor), index, true);
      else if (chosen.has(own)) chosen.delete(own);
      else chosen.add(own);
    }
    present = anchor = own;
  }

  async function copy(): Promise<void> {
    const some = chosen?.size ? shown.filter((row) => chosen.has(key(row))) : shown;
    await navigator.clipboard.writeText(asText(columns, some));
    note(t.copied(some.length));
  }

  const STEPS: Record<string, number> = { ArrowDown: 1, ArrowUp: -1, PageDown: 12, PageUp: -12 };

  async function onkey(event: KeyboardEvent): Promise<void> {
    const own = event.target;
    if (own instanceof HTMLSelectElement || (own instanceof HTMLInputElement && own.type !== 'checkbox'))
      return;
    if ((event.ctrlKey || event.metaKey) && event.key === 'c' && !getSelection()?.toString()) {
      event.preventDefault();
      event.stopPropagation();
      await copy();
      return;
    }
    if (event.ctrlKey || event.metaKey || event.altKey) return;
    const index = at(present);
    if (event.key in STEPS || event.key === 'Home' || event.key === 'End') {
      const to =
        event.key === 'Home'
          ? 0
          : event.key === 'End'
            ? shown.length - 1
            : Math.min(Math.max(index + (STEPS[event.key] ?? 0), 0), shown.length - 1);
      const row = shown[to];
      if (!row) return;
      event.preventDefault();
      event.stopPropagation();
      if (event.shiftKey) choose(Math.max(index, 0), to, true);
      else anchor = key(row);
      present = key(row);
      get(virtual).scrollToIndex(to);
      await tick();
    } else if (event.key === ' ' && chosen && shown[index]) {
      event.preventDefault();
      event.stopPropagation();
      const own = key(shown[index]);
      choose(index, index, !chosen.has(own));
      anchor = own;
    } else if (event.key === 'Enter' && onopen && shown[index] && event.target === scroller) {
      event.preventDefault();
      event.stopPropagation();
      onopen(shown[index]);
    }
  }
</script>

<div class="over">
  {@render over?.()}
  <span class="muted" role="status"
    >{shown.length === rows.length ? t.rows(rows.length) : t.of(shown.length, rows.length)}</span
  >
  <span class="grow"></span>
  <button
    type="button"
    class="may"
    aria-pressed={filtering}
    onclick={() => {
      if (filtering) onview({ ...view, find: {} });
      filtering = !filtering;
    }}><Filter size={14} />{filtering ? t.noFilter : t.filter}</button
  >
  <button type="button" class="may" onclick={() => void copy()}><Copy size={14} />{t.copy}</button>
</div>
<!-- svelte-ignore a11y_no_noninteractive_tabindex, a11y_no_noninteractive_element_interactions -->
<div
  class="scroll"
  style:max-height={height}
  bind:this={scroller}
  tabindex="0"
  role="group"
  aria-label={label}
  onkeydown={(event) => void onkey(event)}
>
  <table aria-rowcount={shown.length + 1}>
    <thead>
      <tr>
        {#if chosen}
          <th class="tick left"
            ><input
              type="checkbox"
              aria-label={chooseAllName ?? t.chooseAll}
              checked={shown.length > 0 && some === shown.length}
              indeterminate={some > 0 && some < shown.length}
              onchange={(event) => choose(0, shown.length - 1, event.currentTarget.checked)}
            /></th
          >
        {/if}
        {#each columns as own (own.id)}
          {@const up = view.sort === own.id}
          {@const turned = view.sort === `-${own.id}`}
          <th
            class="{own.pinned ?? ''} {own.numeric ? 'number' : ''}"
            title={own.title}
            aria-sort={up ? 'ascending' : turned ? 'descending' : 'none'}
          >
            <button type="button" onclick={() => sort(own.id)}>
              <span
                >{own.header}{#if own.unit}<small>{own.unit}</small>{/if}</span
              >
              {#if up}<ArrowUp size={12} />{:else if turned}<ArrowDown size={12} />{/if}
            </button>
          </th>
        {/each}
      </tr>
      {#if filtering}
        <tr class="find">
          {#if chosen}<th class="tick left"></th>{/if}
          {#each columns as own (own.id)}
            <th class={own.pinned}
              ><input
                class="input"
                aria-label={t.findIn(own.header)}
                placeholder={own.numeric ? '< >' : ''}
                value={view.find[own.id] ?? ''}
                oninput={(e) => find(own.id, e.currentTarget.value)}
              /></th
            >
          {/each}
        </tr>
      {/if}
    </thead>
    <tbody>
      {#if above > 0}<tr class="space" style:height="{above}px"><td colspan={columns.length + 1}></td></tr
        >{/if}
      {#each items as item (item.key)}
        {@const row = shown[item.index]}
        {#if row !== undefined}
          {@const own = key(row)}
          <tr
            data-row={own}
            aria-rowindex={item.index + 2}
            class={rowLook?.(row)}
            class:present={present === own}
            class:chosen={chosen?.has(own)}
            style:height="{rowHeight}px"
            onclick={(event) => {
              if (!(event.target instanceof Element && event.target.closest('a,button,input,select,label')))
                press(event, item.index);
            }}
            ondblclick={() => onopen?.(row)}
          >
            {#if chosen}
              <td class="tick left"
                ><input
                  type="checkbox"
                  tabindex="-1"
                  aria-label={chooseName?.(row) ?? t.choose}
                  checked={chosen.has(own)}
                  onclick={(event) => {
                    press(event, item.index);
                  }}
                /></td
              >
            {/if}
            {#each columns as column (column.id)}
              <svelte:element
                this={column.heads ? 'th' : 'td'}
                scope={column.heads ? 'row' : undefined}
                title={column.heads ? column.text(row) : undefined}
                class="cell {column.pinned ?? ''} {column.look?.(row) ?? ''} {column.numeric
                  ? 'number figure'
                  : ''}"
                >{#if cell}{@render cell(row, column)}{:else}{column.text(row)}{/if}</svelte:element
              >
            {/each}
          </tr>
        {/if}
      {/each}
      {#if below > 0}<tr class="space" style:height="{below}px"><td colspan={columns.length + 1}></td></tr
        >{/if}
    </tbody>
  </table>
  {#if !shown.length}<p class="muted none">{empty}</p>{/if}
</div>

<style>
  .over {
    display: flex;
    flex-wrap: wrap;
    gap: 8px;
    align-items: center;
    font-size: 12px;
    margin: 4px 0;
  }
  .over .may {
    min-height: 26px;
    padding: 0 8px;
    font-size: 12px;
  }
  .grow {
    flex: 1;
  }
  .scroll {
    overflow: auto;
    border-top: 1px solid var(--rule);
    border-bottom: 1px solid var(--rule);
  }
  .scroll:focus-visible {
    outline: 2px solid var(--accent);
    outline-offset: 2px;
  }
  table {
    border-collapse: separate;
    border-spacing: 0;
    width: 100%;
    font-size: 13px;
    white-space: nowrap;
  }
  thead {
    position: sticky;
    top: 0;
    z-index: 1;
  }
  th {
    background: var(--table-ground, var(--paper));
    font-weight: 560;
    text-align: left;
    border-bottom: 1px solid var(--rule);
    padding: 0;
    vertical-align: bottom;
  }
  th button {
    display: flex;
    width: 100%;
    gap: 3px;
    align-items: center;
    padding: 4px 8px;
    font-size: 12px;
    color: var(--muted);
    cursor: pointer;
    text-align: left;
  }
  th.number button {
    justify-content: flex-end;
    text-align: right;
  }
  th[aria-sort='ascending'] button,
  th[aria-sort='descending'] button {
    color: var(--ink);
  }
  th small {
    font-size: 11px;
    color: var(--muted);
    margin-left: 4px;
  }
  .find .input {
    min-height: 24px;
    padding: 1px 6px;
    font-size: 12px;
    width: 100%;
    min-width: 54px;
  }
  td,
  .cell {
    padding: 0 8px;
    border-bottom: 1px solid var(--rule);
  }
  tbody .cell {
    background: none;
    vertical-align: middle;
  }
  th.cell {
    max-width: 220px;
    overflow: hidden;
    text-overflow: ellipsis;
  }
  tbody tr:hover .cell {
    background: var(--band);
  }
  tr.chosen .cell {
    background: color-mix(in srgb, var(--accent) 10%, transparent);
  }
  tr.present .cell {
    box-shadow:
      inset 0 1px 0 var(--accent),
      inset 0 -1px 0 var(--accent);
  }
  .number {
    text-align: right;
  }
  /* as wide as what stays in sight beside it expects */
  .tick {
    box-sizing: border-box;
    width: 26px;
    min-width: 26px;
    padding: 0 5px 0 8px;
  }
  .left,
  .right,
  tbody .cell.left,
  tbody .cell.right {
    position: sticky;
    background: var(--table-ground, var(--paper));
    z-index: 1;
  }
  .left {
    left: 0;
  }
  .left + .left {
    left: 26px;
  }
  .right {
    right: 0;
    box-shadow: -1px 0 0 var(--rule);
  }
  .tick input {
    accent-color: var(--accent);
  }
  .space td {
    padding: 0;
    border: 0;
  }
  .none {
    padding: 18px 8px;
  }
  .cell:global(.aside) {
    color: var(--muted);
  }
</style>
