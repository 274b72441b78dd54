<!-- Marks that a driver sees from the seat: put at the cursor, named, moved, removed; each kept at once. -->
<script lang="ts">
  import { Trash2 } from '@lucide/svelte';
  import type { MarkOut } from '$lib/api/client';
  import type { Drafting } from '$lib/circuit/drafting.svelte';
  import { texts } from '$lib/words';
  import PlaceField from '$lib/places/circuit/PlaceField.svelte';

  interface Props {
    drafting: Drafting;
    onadd: (name: string, side: MarkOut['side'], at: number) => void;
    onchange: (mark: MarkOut) => void;
    ongone: (mark: MarkOut) => void;
  }
  let { drafting, onadd, onchange, ongone }: Props = $props();
  const t = texts.circuit;
  const SIDES = ['', 'left', 'right'] as const;
  let name = $state('');
  let side = $state<MarkOut['side']>('');

  function add(event: Event): void {
    event.preventDefault();
    if (!name.trim() || drafting.cursor === null) return;
    onadd(name.trim(), side, drafting.cursor);
    name = '';
  }
</script>

{#if !drafting.marks.length}<p class="muted help">{t.marksHelp}</p>{/if}
<ul>
  {#each drafting.marks as mark (mark.id)}
    <li class:chosen={drafting.held === `mark:${mark.id}`}>
      <input
        class="input"
        maxlength="120"
        aria-label={t.markName}
        value={mark.name}
        onchange={(e) => {
          const to = e.currentTarget.value.trim();
          if (to) onchange({ ...mark, name: to });
        }}
      />
      <select
        class="select"
        aria-label={t.side}
        value={mark.side}
        onchange={(e) => onchange({ ...mark, side: e.currentTarget.value as MarkOut['side'] })}
      >
        {#each SIDES as own (own)}<option value={own}>{t.sides[own]}</option>{/each}
      </select>
      <PlaceField
        label=""
        value={mark.at_m}
        onhold={() => {
          drafting.held = `mark:${mark.id}`;
          drafting.cursor = mark.at_m;
          drafting.show(mark.at_m);
        }}
        onplace={(metres) => onchange({ ...mark, at_m: metres })}
      />
      <button
        type="button"
        class="tool"
        aria-label="{t.remove}: {mark.name}"
        title={t.remove}
        onclick={() => ongone(mark)}><Trash2 size={14} /></button
      >
    </li>
  {/each}
</ul>
<form onsubmit={add}>
  <input class="input" maxlength="120" placeholder={t.markName} aria-label={t.markName} bind:value={name} />
  <select class="select" aria-label={t.side} bind:value={side}>
    {#each SIDES as own (own)}<option value={own}>{t.sides[own]}</option>{/each}
  </select>
  <button
    class="may"
    disabled={!name.trim() || drafting.cursor === null}
    title={drafting.cursor === null ? t.needCursor : undefined}>{t.addMark}</button
  >
</form>
{#if drafting.cursor === null}<p class="muted help">{t.needCursor}</p>{/if}

<style>
  li,
  form {
    display: grid;
    grid-template-columns: 1fr 1fr 26px;
    gap: 5px;
    align-items: end;
    padding: 4px 0;
    border-bottom: 1px solid var(--rule);
  }
  form {
    grid-template-columns: 1fr auto;
    border: 0;
    padding-top: 8px;
  }
  li.chosen {
    background: var(--paper);
    border-left: 3px solid var(--accent);
    padding-left: 6px;
  }
  li > .input,
  form > .input {
    grid-column: 1 / -1;
  }
  .input,
  .select {
    min-height: 28px;
    font-size: 12px;
    padding: 2px 6px;
    width: 100%;
  }
  .select {
    padding-right: 20px;
  }
  .may {
    min-height: 28px;
    padding: 0 8px;
    font-size: 12px;
  }
  .help {
    font-size: 12px;
  }
</style>
