<!-- The start line, and the finish of an open course: moved along the road, or turned a little. -->
<script lang="ts">
  import { onLap } from '$lib/circuit/draft';
  import type { Drafting } from '$lib/circuit/drafting.svelte';
  import { texts } from '$lib/words';
  import PlaceField from '$lib/places/circuit/PlaceField.svelte';

  let { drafting }: { drafting: Drafting } = $props();
  const t = texts.circuit;
  /** so far before the start line a finish is put to begin with */
  const SHORT_M = 200;
  const draft = $derived(drafting.draft);
  const length = $derived(drafting.length);
  const closed = $derived(drafting.ground?.closed ?? true);
  /** by how much it is moved: back rather than nearly all the way round */
  const by = $derived(
    draft ? (closed && draft.start_m > length / 2 ? draft.start_m - length : draft.start_m) : 0,
  );

  function turn(event: Event): void {
    if (!draft) return;
    const degrees = Number((event.currentTarget as HTMLInputElement).value);
    if (Number.isFinite(degrees))
      drafting.change({ ...draft, start_turn_deg: Math.min(Math.max(degrees, -45), 45) });
  }
</script>

{#if draft}
  <div class="fields">
    <PlaceField
      label={t.startAt}
      value={by}
      signed
      onhold={() => (drafting.held = 'start')}
      onplace={(metres) => drafting.place('start', metres)}
    />
    <label class="turn">
      <span class="muted">{t.turnBy} (°)</span>
      <input
        class="input figure"
        type="number"
        min="-45"
        max="45"
        step="1"
        value={draft.start_turn_deg}
        onchange={turn}
      />
    </label>
    {#if !closed || draft.finish_m !== null}
      <PlaceField
        label={t.finishAt}
        value={draft.finish_m ?? length}
        onhold={() => (drafting.held = 'finish')}
        onplace={(metres) => drafting.place('finish', metres)}
      />
    {/if}
  </div>
  {#if closed}
    <label class="short">
      <input
        type="checkbox"
        checked={draft.finish_m !== null}
        onchange={(e) => {
          const own = e.currentTarget.checked;
          drafting.change({ ...draft, finish_m: own ? onLap(draft.start_m - SHORT_M, length, true) : null });
          drafting.held = own ? 'finish' : 'start';
        }}
      />{t.shortFinish}
    </label>
  {/if}
  <p class="muted help">{t.startHelp}</p>
{/if}

<style>
  .fields {
    display: grid;
    grid-template-columns: 1fr 1fr;
    gap: 8px;
  }
  .turn {
    display: grid;
    gap: 1px;
    font-size: 11px;
  }
  .turn input.input {
    min-height: 28px;
    padding: 2px 6px;
    font-size: 12px;
    width: 100%;
  }
  .short {
    display: flex;
    gap: 6px;
    align-items: center;
    font-size: 12px;
    margin-top: 8px;
  }
  .short input {
    accent-color: var(--accent);
  }
  .help {
    font-size: 12px;
    margin-top: 8px;
  }
</style>
