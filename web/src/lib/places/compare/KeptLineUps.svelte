<!-- Line-ups that are kept by name for the team. -->
<script lang="ts">
  import { goto } from '$app/navigation';
  import { createQuery, useQueryClient } from '@tanstack/svelte-query';
  import { Pencil, Save, X } from '@lucide/svelte';
  import { api, done, type KeptLineUp } from '$lib/api/client';
  import { keys } from '$lib/api/keys';
  import type { Desk } from '$lib/desk/desk.svelte';
  import { writePlace } from '$lib/desk/place';
  import { note, noteUndo } from '$lib/parts/notes.svelte';
  import { Doing } from '$lib/parts/doing.svelte';
  import Sheet from '$lib/parts/Sheet.svelte';
  import Trouble from '$lib/parts/Trouble.svelte';
  import { day } from '$lib/quantities/dates.svelte';
  import { present } from '$lib/session/present.svelte';
  import { texts } from '$lib/words';

  let { desk, open = $bindable() }: { desk: Desk; open: boolean } = $props();

  const t = texts.compare.kept;
  const client = useQueryClient();
  const event = $derived(desk.lineUp?.event.id ?? 0);
  const kept = createQuery(() => ({
    queryKey: keys.lineUps(event),
    queryFn: ({ signal }) => done(api.GET('/api/line-ups', { params: { query: { event } }, signal })),
    enabled: open && event > 0,
  }));
  const rows = $derived(kept.data?.line_ups ?? []);
  const leads = $derived(present.me?.role === 'owner' || present.me?.role === 'coach');
  let name = $state('');
  let naming = $state<number | null>(null);
  let other = $state('');

  const here = (): string => writePlace({ ...desk.place(), version: null });
  const again = (): Promise<void> => client.invalidateQueries({ queryKey: keys.lineUps(event) });
  const of = (row: KeptLineUp) => ({ path: { line_up_id: row.id } });

  const doing = new Doing(again);

  const keep = (submitted: Event): Promise<void> => {
    submitted.preventDefault();
    return doing.do(async () => {
      const body = { event, name, address: here() };
      const row = await done(api.POST('/api/line-ups', { body }));
      note(t.kept(row.name));
      name = '';
    });
  };

  const rename = (submitted: Event, row: KeptLineUp): Promise<void> => {
    submitted.preventDefault();
    return doing.do(async () => {
      await done(api.PATCH('/api/line-ups/{line_up_id}', { params: of(row), body: { name: other } }));
      naming = null;
    });
  };

  const replace = (row: KeptLineUp): Promise<void> =>
    doing.do(async () => {
      await done(api.PATCH('/api/line-ups/{line_up_id}', { params: of(row), body: { address: here() } }));
      open = false;
      noteUndo(t.replaced(row.name), async () => {
        await done(
          api.PATCH('/api/line-ups/{line_up_id}', { params: of(row), body: { address: row.address } }),
        );
        await again();
      });
    });

  const forget = (row: KeptLineUp): Promise<void> =>
    doing.do(async () => {
      await done(api.DELETE('/api/line-ups/{line_up_id}', { params: of(row) }));
      // The note with its way back lies outside of the dialog.
      open = false;
      noteUndo(t.forgotten(row.name), async () => {
        await done(api.POST('/api/line-ups', { body: { event, name: row.name, address: row.address } }));
        await again();
      });
    });

  async function show(address: string): Promise<void> {
    open = false;
    await goto(`/compare?${address}`);
  }
</script>

<Sheet bind:open title={t.title}>
  {#if doing.trouble}<Trouble error={doing.trouble} />{/if}
  {#if kept.error}<Trouble error={kept.error} again={() => void kept.refetch()} />{/if}
  {#if kept.data && !rows.length}<p class="muted">{t.none}</p>{/if}
  <ul>
    {#each rows as row (row.id)}
      <li>
        {#if naming === row.id}
          <form class="keep" onsubmit={(submitted) => void rename(submitted, row)}>
            <!-- svelte-ignore a11y_autofocus -->
            <input class="input" aria-label={t.name} maxlength="120" autofocus bind:value={other} />
            <button type="submit" class="may" disabled={!other.trim()}>{t.rename}</button>
          </form>
        {:else}
          <button type="button" class="pick" data-line-up={row.name} onclick={() => void show(row.address)}
            ><span class="called">{row.name}</span><span class="muted">{day(row.kept_at.slice(0, 10))}</span
            ></button
          >
          {#if leads}
            <button
              type="button"
              class="tool"
              title={t.replace}
              aria-label="{t.replace}: {row.name}"
              onclick={() => void replace(row)}><Save size={14} /></button
            >
            <button
              type="button"
              class="tool"
              title={t.rename}
              aria-label="{t.rename}: {row.name}"
              onclick={() => {
                naming = row.id;
                other = row.name;
              }}><Pencil size={14} /></button
            >
            <button
              type="button"
              class="tool"
              title={t.forget}
              aria-label="{t.forget}: {row.name}"
              onclick={() => void forget(row)}><X size={14} /></button
            >
          {/if}
        {/if}
      </li>
    {/each}
  </ul>
  {#if leads}
    <form class="keep" onsubmit={(submitted) => void keep(submitted)}>
      <input class="input" aria-label={t.name} placeholder={t.name} maxlength="120" bind:value={name} />
      <button type="submit" class="do" disabled={!name.trim()}>{t.keep}</button>
    </form>
  {/if}
</Sheet>

<style>
  li {
    display: flex;
    align-items: center;
    gap: 2px;
    border-bottom: 1px solid var(--rule);
  }
  .pick {
    flex: 1;
    min-width: 0;
    display: flex;
    justify-content: space-between;
    gap: 12px;
    min-height: 34px;
    align-items: center;
    padding: 0 6px;
    text-align: left;
    cursor: pointer;
  }
  .pick:hover {
    background: var(--strip);
  }
  .called {
    overflow-wrap: anywhere;
  }
  .keep {
    display: flex;
    gap: 8px;
    flex: 1;
    margin: 10px 0 4px;
  }
  .input {
    flex: 1;
    height: 34px;
    padding: 0 8px;
  }
</style>
