<!-- Removing something: what goes along is said before, undo after. -->
<script lang="ts">
  import { Trash2 } from '@lucide/svelte';
  import { useQueryClient } from '@tanstack/svelte-query';
  import { api, done, type Forgotten, type Removal } from '$lib/api/client';
  import { note, noteAction } from '$lib/parts/notes.svelte';
  import Sheet from '$lib/parts/Sheet.svelte';
  import Trouble from '$lib/parts/Trouble.svelte';
  import { chosen } from '$lib/session/chosen.svelte';
  import { texts } from '$lib/words';

  interface Props {
    kind: 'run' | 'event' | 'driver' | 'car' | 'layout';
    id: number;
    name: string;
    /** with the word beside the picture */
    words?: boolean;
  }
  let { kind, id, name, words = false }: Props = $props();
  const t = texts.removal;
  const queries = useQueryClient();
  let open = $state(false);
  let told = $state<Removal | null>(null);
  let trouble = $state<unknown>(null);
  let busy = $state(false);
  const params = $derived({ path: { kind, row_id: id } });

  async function ask(): Promise<void> {
    open = true;
    told = null;
    trouble = null;
    try {
      told = await done(api.GET('/api/removals/{kind}/{row_id}', { params }));
    } catch (error) {
      trouble = error;
    }
  }

  // A driver's wish to be forgotten: everything goes at once and for good.
  let wish = $state<Forgotten | null>(null);
  let typed = $state('');

  async function lookAtWish(): Promise<void> {
    try {
      const path = { path: { driver_id: id } };
      wish = await done(api.GET('/api/drivers/{driver_id}/forget', { params: path }));
    } catch (error) {
      trouble = error;
    }
  }

  async function forget(): Promise<void> {
    busy = true;
    try {
      const path = { path: { driver_id: id } };
      const gone = await done(api.POST('/api/drivers/{driver_id}/forget', { params: path }));
      open = false;
      const left = Object.values(gone.mentions).reduce((sum, n) => sum + n, 0);
      note(left ? t.forgottenBut(left) : t.forgotten);
      await queries.invalidateQueries();
    } catch (error) {
      trouble = error;
    } finally {
      busy = false;
    }
  }

  async function remove(): Promise<void> {
    busy = true;
    try {
      const gone = await done(api.DELETE('/api/removals/{kind}/{row_id}', { params }));
      open = false;
      const after = () => queries.invalidateQueries();
      chosen.forget(); // what is gone leads nowhere
      noteAction(t.removed(name), gone.action, after);
      await after();
    } catch (error) {
      trouble = error;
    } finally {
      busy = false;
    }
  }

  const along = $derived.by(() => {
    if (!told) return [];
    const others = (names: string[], own: string) => (kind === own ? [] : names);
    const list: string[] = [];
    if (kind !== 'run' && told.runs) list.push(t.runs(told.runs, told.laps));
    const events = others(told.events, 'event');
    const drivers = others(told.drivers, 'driver');
    const cars = others(told.cars, 'car');
    if (events.length) list.push(t.events(events));
    if (drivers.length) list.push(t.drivers(drivers));
    if (cars.length) list.push(t.cars(cars));
    if (told.links) list.push(t.links(told.links));
    return list;
  });
</script>

<button
  type="button"
  class={words ? 'may' : 'icon'}
  aria-label={words ? undefined : t.removeWhat(name)}
  title={t.removeWhat(name)}
  onclick={(event) => {
    event.stopPropagation();
    void ask();
  }}
  ><Trash2 size={16} />{#if words}{t.remove}{/if}</button
>

{#if open}
  <Sheet bind:open title={t.title(name)}>
    {#if trouble}<Trouble error={trouble} />{/if}
    {#if told}
      {#if along.length}
        <p>{t.along}</p>
        <ul>
          {#each along as item (item)}<li>{item}</li>{/each}
        </ul>
      {:else}<p>{t.nothing}</p>{/if}
      <p class="muted">{t.back}</p>
      {#if kind === 'driver'}
        <details
          ontoggle={(event) => {
            if (event.currentTarget.open && !wish) void lookAtWish();
          }}
        >
          <summary>{t.forget}</summary>
          {#if wish}
            <p>{t.forgetWhat(wish.runs, wish.hand_ins, wish.accounts, wish.actions)}</p>
            <p class="muted">{t.forgetStays}</p>
            <label class="label"
              ><span>{t.forgetType(name)}</span><input
                class="input"
                autocomplete="off"
                bind:value={typed}
              /></label
            >
            <button type="button" class="may" disabled={busy || typed.trim() !== name} onclick={forget}
              >{t.forgetDo}</button
            >
          {/if}
        </details>
      {/if}
    {:else if !trouble}<p class="muted">{texts.loading}</p>{/if}
    {#snippet footer()}
      <button type="button" class="may" onclick={() => (open = false)}>{texts.cancel}</button>
      <button type="button" class="do" disabled={!told || busy} onclick={remove}>{t.remove}</button>
    {/snippet}
  </Sheet>
{/if}

<style>
  ul {
    list-style: disc;
    padding-left: 20px;
    margin: 6px 0 12px;
    overflow-wrap: anywhere;
  }
  p {
    margin-bottom: 6px;
  }
  details {
    margin-top: 14px;
    border-top: 1px solid var(--rule);
    padding-top: 10px;
  }
  summary {
    cursor: pointer;
    margin-bottom: 8px;
  }
  details .label {
    max-width: 320px;
    margin-bottom: 10px;
  }
  .icon {
    width: 32px;
    height: 32px;
    display: inline-grid;
    vertical-align: middle;
    place-items: center;
    border-radius: 5px;
    color: var(--muted);
    cursor: pointer;
  }
  .icon:hover {
    background: var(--strip);
    color: var(--ink);
  }
</style>
