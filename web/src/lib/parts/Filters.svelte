<!-- Filters whose state is in the address, so that a view can be sent to somebody. -->
<script lang="ts">
  import { goto } from '$app/navigation';
  import { page } from '$app/state';
  import { texts } from '$lib/words';

  interface Filter {
    name: string;
    label: string;
    choices: [string, string][];
    /** what holds where the address says nothing */
    usual: string;
  }
  interface Props {
    filters: Filter[];
    /** two columns as wide as the page */
    broad?: boolean;
  }
  let { filters, broad = false }: Props = $props();
  const t = texts.handIn.filters;
  const now = (filter: Filter) => page.url.searchParams.get(filter.name) ?? filter.usual;
  const changed = $derived(filters.some((filter) => page.url.searchParams.has(filter.name)));

  function set(values: Record<string, string | null>): void {
    const url = new URL(page.url);
    for (const [name, value] of Object.entries(values)) {
      if (value === null) url.searchParams.delete(name);
      else url.searchParams.set(name, value);
    }
    void goto(url, { replaceState: true, keepFocus: true, noScroll: true });
  }
</script>

<div class="filters" class:broad>
  {#each filters as filter (filter.name)}
    <label
      ><span class="muted">{filter.label}</span>
      <select
        class="select"
        value={now(filter)}
        class:on={now(filter) !== filter.usual}
        onchange={(e) =>
          set({ [filter.name]: e.currentTarget.value === filter.usual ? null : e.currentTarget.value })}
      >
        {#each filter.choices as [value, words] (value)}<option {value}>{words}</option>{/each}
      </select></label
    >
  {/each}
  {#if changed}
    <button
      type="button"
      class="clear"
      onclick={() => set(Object.fromEntries(filters.map((f) => [f.name, null])))}>{t.clear}</button
    >
  {/if}
</div>

<style>
  .filters {
    display: flex;
    flex-wrap: wrap;
    gap: 6px 8px;
    align-items: end;
  }
  .broad {
    display: grid;
    grid-template-columns: minmax(0, 1fr) minmax(0, 1fr);
  }
  .broad .select {
    max-width: none;
    width: 100%;
  }
  label {
    display: grid;
    font-size: 12px;
  }
  .select {
    font-size: 13px;
    padding: 2px 26px 2px 8px;
    max-width: 112px;
  }
  .on {
    border-color: var(--accent);
    box-shadow: inset 0 0 0 1px var(--accent);
  }
  .clear {
    min-height: 32px;
    color: var(--accent);
    font-size: 13px;
    cursor: pointer;
  }
</style>
