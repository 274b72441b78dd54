<!-- Removing something: what goes along is said before, undo after. -->
<script lang="ts">
  import { Trash2 } from '@lucide/svelte';
  import { useQueryClient } from '@tanstack/svelte-query';
  import { api, done, type Removal } from '$lib/api/client';
  import { noteAction } from '$lib/parts/notes.svelte';
  import Sheet from '$lib/parts/Sheet.svelte';
  import Trouble from '$lib/parts/Trouble.svelte';
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

  async function remove(): Promise<void> {
    busy = true;
    try {
      const gone = await done(api.DELETE('/api/removals/{kind}/{row_id}', { params }));
      open = false;
      const after = () => queries.invalidateQueries();
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
  .icon {
    width: 32px;
    height: 32px;
    display: inline-grid;
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
