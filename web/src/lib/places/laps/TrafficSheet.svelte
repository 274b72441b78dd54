<!-- Where another car was in the way in a lap: what was recognised, and what people say of it. -->
<script lang="ts">
  import { useQueryClient } from '@tanstack/svelte-query';
  import { api, done, type SheetLap } from '$lib/api/client';
  import { keys } from '$lib/api/keys';
  import { figure, typedIn, unitOf } from '$lib/quantities/units';
  import { present } from '$lib/session/present.svelte';
  import { noteAction } from '$lib/parts/notes.svelte';
  import Sheet from '$lib/parts/Sheet.svelte';
  import Trouble from '$lib/parts/Trouble.svelte';
  import { texts } from '$lib/words';

  interface Props {
    lap: SheetLap;
    who: string;
    length: number;
    onclose: () => void;
  }
  let { lap, who, length, onclose }: Props = $props();
  const t = texts.traffic;
  const client = useQueryClient();
  let open = $state(true);
  let from = $state('');
  let to = $state('');
  let trouble = $state<unknown>(null);
  const unit = $derived(unitOf('distance', present.units));
  $effect(() => {
    if (!open) onclose();
  });

  const refresh = async () => {
    await Promise.all([
      client.invalidateQueries({ queryKey: keys.anyLaps() }),
      client.invalidateQueries({ queryKey: keys.anyDesk() }),
      client.invalidateQueries({ queryKey: keys.anyCard() }),
    ]);
  };

  async function say(from_m: number, to_m: number, held: boolean): Promise<void> {
    trouble = null;
    try {
      const body = { lap: lap.key, from_m, to_m, held };
      const kept = await done(api.POST('/api/laps/traffic', { body }));
      noteAction(held ? t.heldNoted(lap.number) : t.freeNoted(lap.number), kept.action, refresh);
      await refresh();
    } catch (error) {
      trouble = error;
    }
  }

  function held(): void {
    const [a, b] = [typedIn(from, unit), typedIn(to, unit)];
    if (a === null || b === null) trouble = new Error(texts.watch.wrong(a === null ? t.from : t.to));
    else void say(Math.max(0, a), Math.min(b, length), true);
  }
</script>

<Sheet bind:open title={t.title(who, lap.number)}>
  {#if trouble}<Trouble error={trouble} />{/if}
  <p class="muted">{t.help}</p>
  {#each lap.held_m as [a, b], i (i)}
    <p class="part">
      <span>{t.part(`${figure(a, unit)} ${unit.label}`, `${figure(b, unit)} ${unit.label}`)}</span><button
        type="button"
        class="may"
        onclick={() => void say(a ?? 0, b ?? 0, false)}>{t.free}</button
      >
    </p>
  {:else}
    <p>{t.none}</p>
  {/each}
  <form
    onsubmit={(event) => {
      event.preventDefault();
      held();
    }}
  >
    <label>{t.from} ({unit.label})<input class="input figure" inputmode="decimal" bind:value={from} /></label>
    <label>{t.to} ({unit.label})<input class="input figure" inputmode="decimal" bind:value={to} /></label>
    <button type="submit" class="do">{t.held}</button>
  </form>
</Sheet>

<style>
  .muted {
    font-size: 12px;
    margin-bottom: 8px;
  }
  .part,
  form {
    display: flex;
    gap: 10px;
    align-items: center;
    margin: 6px 0;
  }
  form {
    align-items: end;
    margin-top: 14px;
  }
  label {
    display: grid;
    font-size: 12px;
  }
  .input {
    width: 100px;
    min-height: 30px;
    padding: 2px 8px;
    font-size: 13px;
  }
  .may,
  .do {
    min-height: 30px;
    padding: 0 10px;
    font-size: 13px;
  }
</style>
