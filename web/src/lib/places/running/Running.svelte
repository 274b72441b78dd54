<!-- What is running: all long work of the team, under way and ended. -->
<script lang="ts">
  import { createQuery } from '@tanstack/svelte-query';
  import { api, done, type RunningJob } from '$lib/api/client';
  import { keys } from '$lib/api/keys';
  import Book from '$lib/parts/Book.svelte';
  import Trouble from '$lib/parts/Trouble.svelte';
  import Work from '$lib/places/running/Work.svelte';
  import { texts } from '$lib/words';

  const t = texts.running;
  const BUSY_MS = 1000;
  const QUIET_MS = 5000;

  let trouble = $state<unknown>(null);
  let only = $state(false);
  let older = $state<RunningJob[]>([]);
  let olderMore = $state<boolean | null>(null);
  const found = createQuery(() => ({
    queryKey: keys.running(only),
    queryFn: () => done(api.GET('/api/jobs', { params: { query: { trouble: only } } })),
    refetchInterval: (query) => ((query.state.data?.open ?? 0) > 0 ? BUSY_MS : QUIET_MS),
  }));
  const first = $derived(found.data?.ended ?? []);
  const last = $derived(first.at(-1)?.id ?? 0);
  const ended = $derived([...first, ...older.filter((job) => job.id < last)]);
  const hidden = $derived((found.data?.open ?? 0) - (found.data?.under_way.length ?? 0));

  async function attempt(work: () => Promise<unknown>): Promise<void> {
    trouble = null;
    try {
      await work();
      await found.refetch();
    } catch (error) {
      trouble = error;
    }
  }
  const of = (job: RunningJob) => ({ params: { path: { job_id: job.id } } });
  const stop = (job: RunningJob) => void attempt(() => done(api.POST('/api/jobs/{job_id}/cancel', of(job))));
  const again = (job: RunningJob) => void attempt(() => done(api.POST('/api/jobs/{job_id}/retry', of(job))));
  const more = () =>
    void attempt(async () => {
      const before = ended.at(-1)?.id;
      const next = await done(api.GET('/api/jobs', { params: { query: { trouble: only, before } } }));
      older = [...older, ...next.ended];
      olderMore = next.more;
    });
  function choose(trouble: boolean): void {
    only = trouble;
    older = [];
    olderMore = null;
  }
</script>

<svelte:head><title>{t.title} · {texts.name}</title></svelte:head>

<Book>
  {#snippet left()}
    <h1>{t.title}</h1>
    <p class="muted">{t.about}</p>
    {#if found.data}<p>{found.data.open ? t.open(found.data.open) : t.nothing}</p>{/if}
    {#if found.data?.disk}<p class="disk" role="alert">{found.data.disk}</p>{/if}
  {/snippet}

  {#if trouble}<Trouble error={trouble} />{/if}
  {#if found.error && !found.data}
    <Trouble error={found.error} again={() => void found.refetch()} />
  {:else if !found.data}
    <p class="muted" role="status">{texts.loading}</p>
  {:else}
    <section aria-labelledby="under-way">
      <h2 id="under-way">{t.underWay}</h2>
      {#if found.data.under_way.length}
        <ul>
          {#each found.data.under_way as job (job.id)}<Work {job} {stop} {again} />{/each}
        </ul>
        {#if hidden > 0}<p class="muted">{t.andMore(hidden)}</p>{/if}
      {:else}
        <p class="muted">{t.nothing} {t.nothingNext} <a href="/hand-in">{t.toHandIn}</a></p>
      {/if}
    </section>
    <section aria-labelledby="ended">
      <header>
        <h2 id="ended">{t.ended}</h2>
        <label
          ><input type="checkbox" checked={only} onchange={(event) => choose(event.currentTarget.checked)} />
          {t.onlyTrouble}</label
        >
      </header>
      {#if ended.length}
        <ul>
          {#each ended as job (job.id)}<Work {job} {stop} {again} />{/each}
        </ul>
      {:else}
        <p class="muted">{only ? t.noneFailed : t.noneEnded}</p>
      {/if}
      {#if olderMore ?? found.data.more}<button type="button" class="may" onclick={more}>{t.older}</button
        >{/if}
    </section>
  {/if}
</Book>

<style>
  h1 {
    font-size: 20px;
    font-weight: 640;
    margin: 10px 0 8px;
  }
  h2 {
    font-size: 15px;
    font-weight: 640;
    margin-bottom: 6px;
  }
  section a {
    text-decoration: underline;
    text-underline-offset: 3px;
  }
  section {
    margin: 6px 0 26px;
  }
  section header {
    display: flex;
    flex-wrap: wrap;
    gap: 6px 18px;
    align-items: baseline;
    justify-content: space-between;
  }
  label {
    display: inline-flex;
    gap: 8px;
    align-items: center;
    min-height: 32px;
  }
  .disk {
    border-left: 3px solid var(--loss);
    padding-left: 10px;
  }
</style>
