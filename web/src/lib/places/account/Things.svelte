<!-- What the team has: drivers, cars and circuits, removed or joined where one was taken for two. -->
<script lang="ts">
  import { createQuery, useQueryClient } from '@tanstack/svelte-query';
  import { api, done } from '$lib/api/client';
  import { keys } from '$lib/api/keys';
  import { noteAction } from '$lib/parts/notes.svelte';
  import Remove from '$lib/parts/Remove.svelte';
  import Trouble from '$lib/parts/Trouble.svelte';
  import { texts } from '$lib/words';

  const t = texts.account;
  const queries = useQueryClient();
  const asked = { age: 1, state: '' as const };
  const list = createQuery(() => ({
    queryKey: keys.handIns({ ...asked, only: 'choices' }),
    queryFn: () => done(api.GET('/api/hand-ins', { params: { query: asked } })),
  }));
  const has = $derived(list.data?.choices);
  const parts = $derived([
    { kind: 'driver' as const, title: t.drivers, rows: has?.drivers ?? [] },
    { kind: 'car' as const, title: t.cars, rows: has?.cars ?? [] },
    { kind: 'layout' as const, title: t.circuits, rows: has?.circuits ?? [] },
  ]);
  let joining = $state<{ kind: 'driver' | 'layout'; id: number } | null>(null);
  let kept = $state('');
  let trouble = $state<unknown>(null);

  async function join(event: SubmitEvent, name: string): Promise<void> {
    event.preventDefault();
    const which = joining;
    const into = Number(kept);
    if (!which || !into) return;
    trouble = null;
    const after = () => queries.invalidateQueries();
    try {
      if (which.kind === 'driver') {
        const params = { path: { driver_id: which.id } };
        const answer = await done(api.POST('/api/drivers/{driver_id}/join', { params, body: { into } }));
        noteAction(t.joinedDriver(name, answer.driver.name), answer.action, after);
      } else {
        const params = { path: { layout_id: which.id } };
        const answer = await done(api.POST('/api/layouts/{layout_id}/join', { params, body: { into } }));
        noteAction(t.joinedCircuit(answer.name, answer.runs), answer.action, after);
      }
      joining = null;
      await after();
    } catch (error) {
      trouble = error;
    }
  }
</script>

<section>
  <h2>{t.has}</h2>
  <p class="muted small">{t.hasWhy}</p>
  {#if trouble}<Trouble error={trouble} />{/if}
  {#if list.error}<Trouble error={list.error} again={() => void list.refetch()} />{/if}
  <div class="parts">
    {#each parts as part (part.kind)}
      <div>
        <h3>{part.title}</h3>
        <ul>
          {#each part.rows as row (row.id)}
            <li>
              <span class="name">{row.name}</span>
              {#if part.kind !== 'car' && part.rows.length > 1}
                <button
                  type="button"
                  class="quiet"
                  aria-expanded={joining?.kind === part.kind && joining.id === row.id}
                  onclick={() => {
                    kept = '';
                    joining =
                      joining?.id === row.id && joining.kind === part.kind
                        ? null
                        : { kind: part.kind as 'driver' | 'layout', id: row.id };
                  }}>{t.join}</button
                >
              {/if}
              <Remove kind={part.kind} id={row.id} name={row.name} />
              {#if joining?.kind === part.kind && joining.id === row.id}
                <form onsubmit={(event) => join(event, row.name)}>
                  <select class="select" aria-label={t.joinWhich(row.name)} bind:value={kept}>
                    <option value=""></option>
                    {#each part.rows.filter((other) => other.id !== row.id) as other (other.id)}
                      <option value={String(other.id)}>{other.name}</option>
                    {/each}
                  </select>
                  <button class="may" disabled={!kept}>{t.joinDo}</button>
                </form>
              {/if}
            </li>
          {:else}<li class="muted">{t.nothing}</li>{/each}
        </ul>
      </div>
    {/each}
  </div>
</section>

<style>
  .small {
    font-size: 13px;
  }
  .parts {
    display: grid;
    grid-template-columns: repeat(auto-fit, minmax(260px, 1fr));
    gap: 8px 28px;
  }
  li {
    display: flex;
    flex-wrap: wrap;
    gap: 0 10px;
    align-items: center;
    min-height: 38px;
    border-bottom: 1px solid var(--rule);
  }
  .name {
    flex: 1;
    min-width: 120px;
    overflow-wrap: anywhere;
  }
  .quiet {
    font-size: 13px;
    color: var(--accent);
    min-height: 32px;
    cursor: pointer;
  }
  .quiet:hover {
    text-decoration: underline;
  }
  form {
    display: flex;
    gap: 8px;
    flex: 1 0 100%;
    padding: 4px 0 8px;
  }
</style>
