<!-- Corners: named, moved by figures, joined, cut in two, put where there was none, removed, numbered anew. -->
<script lang="ts">
  import { Merge, Scissors, Trash2 } from '@lucide/svelte';
  import type { Drafting } from '$lib/circuit/drafting.svelte';
  import {
    byApex,
    cut,
    joined,
    ownerOf,
    renamed,
    renumbered,
    withCorner,
    withoutCorner,
  } from '$lib/circuit/draft';
  import { figure, unitOf } from '$lib/quantities/units';
  import { present } from '$lib/session/present.svelte';
  import { texts } from '$lib/words';
  import PlaceField from '$lib/places/circuit/PlaceField.svelte';

  let { drafting }: { drafting: Drafting } = $props();
  const t = texts.circuit;
  const unit = $derived(unitOf('distance', present.units));
  const draft = $derived(drafting.draft);
  const corners = $derived(byApex(draft?.corners ?? []));
  const chosen = $derived(ownerOf(drafting.held));
  const curvature = $derived(drafting.ground?.curvature ?? []);

  function choose(name: string, apex: number): void {
    drafting.held = chosen === name ? null : `apex:${name}`;
    drafting.cursor = apex;
    drafting.show(apex);
  }

  function rename(name: string, event: Event): void {
    const to = (event.currentTarget as HTMLInputElement).value.trim();
    if (!draft || !to || to === name) return;
    drafting.change(renamed(draft, name, to));
    drafting.held = `apex:${to}`;
  }
</script>

{#if draft}
  <ul>
    {#each corners as corner (corner.name)}
      {@const inside =
        drafting.cursor !== null &&
        drafting.cursor > corner.entry_m + 3 &&
        drafting.cursor < corner.exit_m - 3}
      <li class:chosen={chosen === corner.name}>
        <button
          type="button"
          class="row"
          aria-expanded={chosen === corner.name}
          onclick={() => choose(corner.name, corner.apex_m)}
        >
          <strong title={corner.name}>{corner.name}</strong>
          <span class="figure muted">{figure(corner.apex_m, unit)} {unit.label}</span>
        </button>
        {#if chosen === corner.name}
          <div class="fields">
            <label class="name">
              <span class="muted">{t.name}</span>
              <input
                class="input"
                maxlength="60"
                value={corner.name}
                onchange={(e) => rename(corner.name, e)}
              />
            </label>
            {#each ['entry', 'apex', 'exit'] as const as end (end)}
              <PlaceField
                label={t[end]}
                value={corner[`${end}_m`]}
                onplace={(metres) => drafting.place(`${end}:${corner.name}`, metres)}
              />
            {/each}
          </div>
          <div class="acts">
            <button
              type="button"
              class="may"
              onclick={() => drafting.change(joined(draft, corner.name, drafting.length))}
              ><Merge size={13} />{t.join}</button
            >
            <button
              type="button"
              class="may"
              disabled={!inside}
              onclick={() => {
                drafting.change(cut(draft, corner.name, drafting.cursor ?? 0, curvature));
                drafting.held = null;
              }}><Scissors size={13} />{t.cutHere}</button
            >
            <button
              type="button"
              class="may"
              onclick={() => {
                drafting.change(withoutCorner(draft, corner.name));
                drafting.held = null;
              }}><Trash2 size={13} />{t.remove}</button
            >
          </div>
        {/if}
      </li>
    {/each}
  </ul>
  <div class="acts">
    <button
      type="button"
      class="may"
      disabled={drafting.cursor === null}
      title={drafting.cursor === null ? t.needCursor : undefined}
      onclick={() => drafting.change(withCorner(draft, drafting.cursor ?? 0, drafting.length, curvature))}
      >{t.addCorner}</button
    >
    <button
      type="button"
      class="may"
      onclick={() => {
        drafting.change(renumbered(draft, drafting.length));
        drafting.held = null;
      }}>{t.renumber}</button
    >
  </div>
{/if}

<style>
  ul {
    display: grid;
    grid-template-columns: 1fr 1fr;
    column-gap: 14px;
  }
  li {
    border-bottom: 1px solid var(--rule);
    min-width: 0;
  }
  li.chosen {
    grid-column: 1 / -1;
    background: var(--paper);
    padding: 0 8px 8px;
    border-left: 3px solid var(--accent);
  }
  .row {
    display: flex;
    justify-content: space-between;
    gap: 8px;
    width: 100%;
    min-height: 26px;
    align-items: center;
    cursor: pointer;
    font-size: 13px;
  }
  .row strong {
    overflow: hidden;
    text-overflow: ellipsis;
    white-space: nowrap;
  }
  .row .figure {
    white-space: nowrap;
  }
  .fields {
    display: grid;
    grid-template-columns: 1fr 1fr 1fr;
    gap: 6px;
    padding-top: 4px;
  }
  .name {
    grid-column: 1 / -1;
    display: grid;
    gap: 1px;
    font-size: 11px;
  }
  .name input.input {
    min-height: 28px;
    padding: 2px 6px;
    font-size: 13px;
    width: 100%;
  }
  .acts {
    display: flex;
    flex-wrap: wrap;
    gap: 6px;
    margin-top: 8px;
  }
  .acts .may {
    min-height: 26px;
    padding: 0 8px;
    font-size: 12px;
  }
</style>
