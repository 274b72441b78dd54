<!-- Passages: where they begin, which corners belong together, and why the program thought so. -->
<script lang="ts">
  import type { Drafting } from '$lib/circuit/drafting.svelte';
  import { withBorder, without } from '$lib/circuit/draft';
  import { texts } from '$lib/words';
  import PlaceField from '$lib/places/circuit/PlaceField.svelte';

  let { drafting }: { drafting: Drafting } = $props();
  const t = texts.circuit;
  const draft = $derived(drafting.draft);
  /** each passage with its corners, as they follow from the borders */
  const rows = $derived.by(() => {
    if (!draft || !drafting.ground) return [];
    const { closed, layout, reasons } = drafting.ground;
    const order = draft.borders.map((place, i) => ({ place, i })).sort((a, b) => a.place - b.place);
    return order.map(({ place, i }, k) => {
      const to = order[(k + 1) % order.length]?.place ?? place;
      const crosses = to <= place;
      const own = draft.corners
        .filter((c) =>
          crosses ? c.apex_m >= place || (closed && c.apex_m < to) : c.apex_m >= place && c.apex_m < to,
        )
        .map((c) => c.name);
      // Behind the line first, where it crosses it.
      const before = layout.passages.findIndex((passage) => passage.corners.join() === own.join());
      return { place, i, own, reason: before >= 0 ? (reasons[before] ?? '') : '' };
    });
  });
</script>

{#if draft}
  <ol>
    {#each rows as row, k (row.i)}
      <li class:chosen={drafting.held === `border:${row.i}`}>
        <div class="head">
          <strong>{t.passage(k + 1)}</strong>
          <span>{row.own.join(', ') || '–'}</span>
        </div>
        <div class="line">
          <PlaceField
            label={t.border}
            value={row.place}
            onhold={() => {
              drafting.held = `border:${row.i}`;
              drafting.cursor = row.place;
              drafting.show(row.place);
            }}
            onplace={(metres) => drafting.place(`border:${row.i}`, metres)}
          />
          <button
            type="button"
            class="may"
            disabled={rows.length < 2 || (!drafting.ground?.closed && k === 0)}
            onclick={() => drafting.change(without(draft, `border:${row.i}`))}>{t.link}</button
          >
        </div>
        {#if row.reason}<p class="muted">{row.reason}</p>{/if}
      </li>
    {/each}
  </ol>
  <button
    type="button"
    class="may add"
    disabled={drafting.cursor === null}
    title={drafting.cursor === null ? t.needCursor : undefined}
    onclick={() => drafting.change(withBorder(draft, drafting.cursor ?? 0))}>{t.addBorder}</button
  >
{/if}

<style>
  li {
    border-bottom: 1px solid var(--rule);
    padding: 5px 0;
    font-size: 13px;
  }
  li.chosen {
    background: var(--paper);
    border-left: 3px solid var(--accent);
    padding-left: 8px;
  }
  .head {
    display: flex;
    gap: 10px;
  }
  .line {
    display: grid;
    grid-template-columns: 110px 1fr;
    gap: 8px;
    align-items: end;
  }
  .line .may,
  .add {
    min-height: 28px;
    padding: 0 8px;
    font-size: 12px;
  }
  .line .may {
    justify-content: center;
  }
  .add {
    margin-top: 8px;
  }
  p {
    font-size: 11px;
    margin-top: 2px;
  }
</style>
