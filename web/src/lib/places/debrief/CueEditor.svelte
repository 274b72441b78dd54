<!-- A cue in the coach's own words, aiming at another value where that is wanted. -->
<script lang="ts">
  import type { Cue } from '$lib/api/client';
  import Sheet from '$lib/parts/Sheet.svelte';
  import type { Preparing } from '$lib/places/debrief/preparing.svelte';
  import { say } from '$lib/quantities/said';
  import { figure, typedIn, unitOfQuantity } from '$lib/quantities/units';
  import { present } from '$lib/session/present.svelte';
  import { texts } from '$lib/words';

  let { cue, preparing, onclose }: { cue: Cue; preparing: Preparing; onclose: () => void } = $props();

  const t = texts.debrief;
  const MOST = 60;
  const unit = $derived(unitOfQuantity(cue.target.quantity, present.units));
  // svelte-ignore state_referenced_locally
  let words = $state(cue.text ?? '');
  // svelte-ignore state_referenced_locally
  let value = $state(figure(cue.target.value, unitOfQuantity(cue.target.quantity, present.units)));
  // svelte-ignore state_referenced_locally
  const before = value;
  const count = $derived(words.trim() ? words.trim().split(/\s+/).length : 0);
  const typed = $derived(typedIn(value, unit));

  async function keep(event: Event): Promise<void> {
    event.preventDefault();
    await preparing.change(cue, {
      text: words.trim(),
      ...(cue.kind === 'cue' && value !== before && typed !== null ? { value: typed } : {}),
    });
    if (!preparing.trouble) onclose();
  }
</script>

<Sheet
  bind:open={
    () => true,
    (is) => {
      if (!is) onclose();
    }
  }
  title={t.edit}
>
  <form onsubmit={(event) => void keep(event)}>
    <p class="sentence">{say(cue.says, present.units)}</p>
    <label
      >{t.ownWords}
      <textarea class="input" rows="3" maxlength="600" bind:value={words}></textarea></label
    >
    <p class="muted small">
      {t.ownWordsHint} <span class:loss={count > MOST}>{t.words(count)}</span>
    </p>
    {#if cue.kind === 'cue'}
      <label class="value"
        >{t.value}: {cue.target.label}
        <span><input class="input figure" inputmode="decimal" size="8" bind:value /> {unit.label}</span
        ></label
      >
    {/if}
    <button type="submit" class="do" disabled={count > MOST || typed === null}>{t.save}</button>
  </form>
</Sheet>

<style>
  form {
    display: grid;
    gap: 8px;
    justify-items: start;
  }
  label {
    display: grid;
    gap: 4px;
    width: 100%;
  }
  textarea {
    width: 100%;
    padding: 6px 8px;
  }
  .sentence {
    font-weight: 560;
    overflow-wrap: anywhere;
  }
  .value span {
    display: flex;
    align-items: center;
    gap: 6px;
  }
  .value .input {
    width: 110px;
    padding: 0 8px;
  }
  .small {
    font-size: 12.5px;
  }
</style>
