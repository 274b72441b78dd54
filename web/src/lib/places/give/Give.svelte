<!-- A driver's own hand-in, opened by a link on a phone, without an account. -->
<script lang="ts">
  import { page } from '$app/state';
  import { createQuery } from '@tanstack/svelte-query';
  import { Progress } from '@skeletonlabs/skeleton-svelte';
  import { FileUp } from '@lucide/svelte';
  import { api, ApiProblem, done, type HandIn } from '$lib/api/client';
  import Outgoing from '$lib/places/hand-in/Outgoing.svelte';
  import OwnDebriefs from '$lib/places/debrief/OwnDebriefs.svelte';
  import Mark from '$lib/parts/Mark.svelte';
  import { note } from '$lib/parts/notes.svelte';
  import Trouble from '$lib/parts/Trouble.svelte';
  import { Outbox } from '$lib/sending/sending.svelte';
  import { texts } from '$lib/words';
  import { day } from '$lib/quantities/dates.svelte';
  import { lapTime } from '$lib/quantities/units';

  const t = texts.handIn.give;
  const h = texts.handIn;
  const token = page.params.token ?? '';
  const link = createQuery(() => ({
    queryKey: ['link', token],
    queryFn: () => done(api.GET('/api/link/{token}', { params: { path: { token } } })),
    refetchInterval: (query) =>
      query.state.data?.hand_ins.some((item) => item.state === 'waiting' || item.state === 'running')
        ? 800
        : 15_000,
  }));
  // Older files than the first page's, asked for one page at a time.
  let older = $state<HandIn[]>([]);
  let olderMore = $state<boolean | null>(null);
  const shown = $derived.by(() => {
    const fresh = link.data?.hand_ins ?? [];
    const known = fresh.map((item) => item.id);
    return [...fresh, ...older.filter((item) => !known.includes(item.id))];
  });
  const outbox = new Outbox(`/api/link/${encodeURIComponent(token)}`, () => void link.refetch());
  let input = $state<HTMLInputElement>();
  let trouble = $state<unknown>(null);
  let felt = $state<Record<number, string>>({});

  function chosen(): void {
    const files = [...(input?.files ?? [])];
    if (input) input.value = '';
    if (files.length) outbox.add(files);
  }

  async function more(): Promise<void> {
    trouble = null;
    try {
      const before = shown.at(-1)?.id;
      const next = await done(
        api.GET('/api/link/{token}', { params: { path: { token }, query: { before } } }),
      );
      older = [...older, ...next.hand_ins];
      olderMore = next.more;
    } catch (error) {
      trouble = error;
    }
  }

  async function tell(
    item: HandIn,
    change: { felt?: string | null; conditions?: 'dry' | 'damp' | 'wet' | null; tyres?: string | null },
  ): Promise<void> {
    if (!item.run) return;
    trouble = null;
    try {
      await done(
        api.PATCH('/api/link/{token}/runs/{run_id}', {
          params: { path: { token, run_id: item.run.run.id } },
          body: change,
        }),
      );
      older = older.map((other) =>
        other.id === item.id && other.run ? { ...other, run: { ...other.run, ...change } } : other,
      );
      note(t.saved);
      felt = Object.fromEntries(Object.entries(felt).filter(([id]) => Number(id) !== item.id));
      await link.refetch();
    } catch (error) {
      trouble = error;
    }
  }
</script>

<svelte:head><title>{link.data ? t.title(link.data.driver.name) : h.title} · {texts.name}</title></svelte:head
>
<svelte:window
  onbeforeunload={(event) => {
    if (outbox.busy) event.preventDefault();
  }}
  ononline={() => outbox.items.forEach((item) => item.now())}
/>

<main>
  <header><Mark /></header>
  {#if link.error && !link.data}
    {#if link.error instanceof ApiProblem && [404, 410].includes(link.error.status)}
      <h1>{t.noLink}</h1>
      <p>{link.error.message}</p>
    {:else}
      <Trouble error={link.error} again={() => void link.refetch()} />
    {/if}
  {:else if !link.data}
    <p class="muted">{texts.loading}</p>
  {:else}
    {@const data = link.data}
    <h1>{t.title(data.driver.name)}</h1>
    <p class="muted">{t.lead(data.team)}</p>
    <button type="button" class="do big" onclick={() => input?.click()}
      ><FileUp size={20} aria-hidden="true" />{t.choose}</button
    >
    <input bind:this={input} type="file" multiple hidden data-choose="files" onchange={chosen} />
    {#if trouble}<Trouble error={trouble} />{/if}
    {#if outbox.items.length}
      <ul>
        {#each outbox.items as item (item.id)}<li><Outgoing {item} {outbox} /></li>{/each}
      </ul>
    {/if}
    <!-- What a driver came for stands above what they handed in before. -->
    <OwnDebriefs {token} />
    <h2>{t.files}</h2>
    <ul>
      {#each shown as item (item.id)}
        {@const busy = item.state === 'waiting' || item.state === 'running'}
        {@const best = item.run?.laps.find((lap) => lap.number === item.run?.run.best_lap)}
        <li>
          <div class="line">
            <strong class="file" title={item.file_name}>{item.file_name}</strong>
            <span
              class:gain={item.state === 'taken'}
              class:loss={item.state === 'refused' || item.state === 'failed'}
              role="status">{busy ? `${h.steps[item.step] ?? h.steps.waiting} …` : h.states[item.state]}</span
            >
          </div>
          {#if busy}
            <Progress value={Math.round(item.progress * 100)}
              ><Progress.Track class="track"><Progress.Range class="range" /></Progress.Track></Progress
            >
          {/if}
          {#if item.message}<p>{item.message}</p>{/if}
          {#if item.run}
            {@const run = item.run}
            <p>
              {run.event.circuit}, {h.lapsLine(
                run.laps.filter((lap) => lap.kind === 'timed').length,
                '',
              )}{#if best},
                {h.best(lapTime(best.time_s))}{/if}
            </p>
            <div class="words">
              <label
                ><span class="muted">{t.felt}</span>
                <textarea
                  class="input"
                  rows="3"
                  maxlength="4000"
                  placeholder={t.feltHint}
                  value={felt[item.id] ?? run.felt ?? ''}
                  oninput={(e) => (felt[item.id] = e.currentTarget.value)}></textarea></label
              >
              <div class="two">
                <label
                  ><span class="muted">{t.conditions}</span>
                  <select
                    class="select"
                    value={run.conditions ?? ''}
                    onchange={(e) =>
                      tell(item, { conditions: (e.currentTarget.value || null) as 'dry' | null })}
                  >
                    {#each Object.entries(h.labels.conditions) as [code, words] (code)}<option value={code}
                        >{words}</option
                      >{/each}
                  </select></label
                >
                <label
                  ><span class="muted">{t.tyres}</span>
                  <input
                    class="input"
                    maxlength="200"
                    value={run.tyres ?? ''}
                    onchange={(e) => tell(item, { tyres: e.currentTarget.value.trim() || null })}
                  /></label
                >
              </div>
              <button
                type="button"
                class="may"
                disabled={felt[item.id] === undefined || felt[item.id] === (run.felt ?? '')}
                onclick={() => tell(item, { felt: felt[item.id]?.trim() || null })}>{t.save}</button
              >
            </div>
          {/if}
        </li>
      {:else}
        {#if !outbox.items.length}<li class="muted none">{t.empty}</li>{/if}
      {/each}
    </ul>
    {#if olderMore ?? data.more}<button type="button" class="may" onclick={more}>{h.more}</button>{/if}
    <p class="muted small">{t.until(day(data.expires_at.slice(0, 10)))}</p>
  {/if}
</main>

<style>
  main {
    max-width: 560px;
    margin: 0 auto;
    padding: 14px 18px 60px;
  }
  h1 {
    font-size: 22px;
    font-weight: 640;
    margin: 18px 0 4px;
    overflow-wrap: anywhere;
  }
  h2 {
    font-size: 1.1em;
    font-weight: 640;
    margin-top: 18px;
  }
  .big {
    width: 100%;
    justify-content: center;
    min-height: 54px;
    font-size: 17px;
    margin: 16px 0;
  }
  li {
    display: grid;
    grid-template-columns: minmax(0, 1fr);
    gap: 6px;
    padding: 12px 0;
    border-top: 1px solid var(--rule);
  }
  main :global(.line) {
    display: flex;
    align-items: center;
    gap: 10px;
    flex-wrap: wrap;
    min-height: 32px;
  }
  main :global(.file) {
    flex: 1;
    min-width: 120px;
    overflow: hidden;
    text-overflow: ellipsis;
    white-space: nowrap;
    font-weight: 560;
  }
  .words,
  .words label {
    display: grid;
    gap: 4px;
  }
  .words {
    gap: 10px;
    justify-items: stretch;
  }
  .two {
    display: grid;
    grid-template-columns: 1fr 1fr;
    gap: 12px;
  }
  .input,
  .select {
    width: 100%;
    min-height: 44px;
    padding: 8px 10px;
    font-size: 16px;
  }
  textarea {
    border: 1px solid var(--field);
    border-radius: 5px;
    background: var(--sheet);
    color: var(--ink);
  }
  .may {
    min-height: 44px;
    justify-content: center;
  }
  .none {
    padding: 30px 0;
  }
  .small {
    font-size: 13px;
    margin-top: 20px;
  }
</style>
