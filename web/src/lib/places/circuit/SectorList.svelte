<!-- Sectors: which set the day is cut into, where they begin, what they are called. -->
<script lang="ts">
  import { Trash2 } from '@lucide/svelte';
  import type { Drafting } from '$lib/circuit/drafting.svelte';
  import { MOST_SECTORS, named, without, withSplit } from '$lib/circuit/draft';
  import { texts } from '$lib/words';
  import PlaceField from '$lib/places/circuit/PlaceField.svelte';

  interface Props {
    drafting: Drafting;
    onset: (id: number) => void;
    onnew: (name: string) => void;
    ongone: (id: number) => void;
  }
  let { drafting, onset, onnew, ongone }: Props = $props();
  const t = texts.circuit;
  const draft = $derived(drafting.draft);
  const ground = $derived(drafting.ground);
  let adding = $state(false);
  let name = $state('');
  /** in the order in which they are driven */
  const rows = $derived.by(() => {
    if (!draft) return [];
    const length = drafting.length;
    const ahead = (m: number) => (m - draft.start_m + length) % length;
    return draft.splits.map((split, i) => ({ ...split, i })).sort((a, b) => ahead(a.m) - ahead(b.m));
  });
  const unused = $derived(ground?.sets.find((set) => set.id === ground.sector_set && set.days === 0));

  function make(event: Event): void {
    event.preventDefault();
    if (!name.trim()) return;
    onnew(name.trim());
    adding = false;
    name = '';
  }
</script>

{#if draft && ground}
  <div class="sets">
    <label>
      <span class="muted">{t.sets}</span>
      <select class="select" value={ground.sector_set} onchange={(e) => onset(Number(e.currentTarget.value))}>
        {#each ground.sets as set (set.id)}
          <option value={set.id}>{set.name} ({set.splits.length + 1})</option>
        {/each}
      </select>
    </label>
    {#if !adding}<button type="button" class="may" onclick={() => (adding = true)}>{t.newSet}</button>{/if}
    {#if unused && ground.sets.length > 1}
      <button type="button" class="may" onclick={() => ongone(unused.id)}>{t.removeSet}</button>
    {/if}
  </div>
  {#if adding}
    <form class="sets" onsubmit={make}>
      <!-- svelte-ignore a11y_autofocus -->
      <input
        class="input"
        aria-label={t.newSetName}
        placeholder={t.newSetName}
        maxlength="60"
        bind:value={name}
        autofocus
      />
      <button class="may" disabled={!name.trim()}>{t.add}</button>
      <button type="button" class="may" onclick={() => (adding = false)}>{texts.cancel}</button>
    </form>
  {/if}
  <ol>
    <li>
      <input
        class="input"
        maxlength="60"
        aria-label={t.sectorName(1)}
        placeholder={t.sector(1)}
        value={draft.first_sector}
        onchange={(e) => drafting.change({ ...draft, first_sector: e.currentTarget.value.trim() })}
      />
      <span class="muted atline">{t.atLine}</span>
    </li>
    {#each rows as row, k (row.i)}
      <li class:chosen={drafting.held === `split:${row.i}`}>
        <input
          class="input"
          maxlength="60"
          aria-label={t.sectorName(k + 2)}
          placeholder={t.sector(k + 2)}
          value={row.name}
          onchange={(e) => drafting.change(named(draft, row.i, e.currentTarget.value))}
        />
        <PlaceField
          label={t.ends}
          value={row.m}
          onhold={() => {
            drafting.held = `split:${row.i}`;
            drafting.cursor = row.m;
            drafting.show(row.m);
          }}
          onplace={(metres) => drafting.place(`split:${row.i}`, metres)}
        />
        <button
          type="button"
          class="tool"
          aria-label="{t.remove}: {row.name || t.sector(k + 2)}"
          title={t.remove}
          onclick={() => drafting.change(without(draft, `split:${row.i}`))}><Trash2 size={14} /></button
        >
      </li>
    {/each}
  </ol>
  <button
    type="button"
    class="may add"
    disabled={drafting.cursor === null}
    title={drafting.cursor === null ? t.needCursor : undefined}
    onclick={() => drafting.change(withSplit(draft, drafting.cursor ?? 0))}>{t.addSplit}</button
  >
  {#if rows.length + 1 > MOST_SECTORS}<p class="muted hint" role="status">{t.many(MOST_SECTORS)}</p>{/if}
{/if}

<style>
  .sets {
    display: flex;
    gap: 6px;
    align-items: end;
    flex-wrap: wrap;
    margin-bottom: 6px;
  }
  .sets label {
    display: grid;
    font-size: 11px;
    flex: 1;
    min-width: 130px;
  }
  .sets .select {
    min-height: 28px;
    padding: 0 24px 0 8px;
    font-size: 13px;
  }
  .sets .input {
    flex: 1;
    min-height: 28px;
    padding: 2px 8px;
    font-size: 13px;
  }
  .sets .may,
  .add {
    min-height: 28px;
    padding: 0 8px;
    font-size: 12px;
  }
  li {
    display: grid;
    grid-template-columns: 1fr 104px 28px;
    gap: 8px;
    align-items: end;
    border-bottom: 1px solid var(--rule);
    padding: 4px 0;
    font-size: 13px;
  }
  li.chosen {
    background: var(--paper);
    border-left: 3px solid var(--accent);
    padding-left: 6px;
  }
  .atline {
    grid-column: 2 / -1;
    align-self: center;
    font-size: 12px;
  }
  li .input {
    min-height: 28px;
    padding: 2px 6px;
    font-size: 13px;
    width: 100%;
  }
  .add {
    margin-top: 8px;
  }
  .hint {
    font-size: 12px;
    margin-top: 6px;
  }
</style>
