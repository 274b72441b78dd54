<!-- One driver's debrief: what became of the last one, what costs time and what is good, and what is in this one. -->
<script lang="ts">
  import { createQuery, useQueryClient } from '@tanstack/svelte-query';
  import { api, done, type CueIn } from '$lib/api/client';
  import { keys } from '$lib/api/keys';
  import Trouble from '$lib/parts/Trouble.svelte';
  import Checked from '$lib/places/debrief/Checked.svelte';
  import FindingRow from '$lib/places/debrief/FindingRow.svelte';
  import LeaveSheet from '$lib/places/debrief/LeaveSheet.svelte';
  import { Preparing } from '$lib/places/debrief/preparing.svelte';
  import StillOpen from '$lib/places/debrief/StillOpen.svelte';
  import StrengthRow from '$lib/places/debrief/StrengthRow.svelte';
  import Tray from '$lib/places/debrief/Tray.svelte';
  import Said from '$lib/places/debrief/Said.svelte';
  import { present } from '$lib/session/present.svelte';
  import { texts } from '$lib/words';

  let { run, to }: { run: number; to: (run: number) => string } = $props();

  const t = texts.debrief;
  const COMING_MS = 1_500;
  const client = useQueryClient();
  const found = createQuery(() => ({
    queryKey: keys.prepare(run),
    queryFn: () => done(api.GET('/api/debriefs/runs/{run_id}', { params: { path: { run_id: run } } })),
    refetchInterval: (query) => (query.state.data?.state === 'coming' ? COMING_MS : false),
  }));
  const data = $derived(found.data);
  const preparing = new Preparing(client, () => data?.driver.name ?? '');
  const leads = $derived(present.me?.role === 'owner' || present.me?.role === 'coach');
  let all = $state(false);
  const forward = $derived((data?.findings ?? []).filter((one) => one.put_forward));
  const shown = $derived(all || !forward.length ? (data?.findings ?? []) : forward);
  const rest = $derived((data?.findings.length ?? 0) - forward.length);
  const taken = $derived(data?.debrief?.cues ?? []);
  const ask = (body: Omit<CueIn, 'run'>): void => void preparing.ask({ ...body, run });
</script>

{#if found.error && !data}
  <Trouble error={found.error} again={() => void found.refetch()} />
{:else if !data}
  <p class="muted" role="status">{texts.loading}</p>
{:else}
  <header class="head">
    <h1>{data.driver.name}</h1>
    {#if data.runs.length > 1}
      <nav aria-label={t.runs(data.runs.length)}>
        {#each data.runs as one (one.id)}
          <a href={to(one.id)} aria-current={one.id === run ? 'page' : undefined}
            >{t.runAt(one.started_at?.slice(11, 16) ?? '', one.laps)}</a
          >
        {/each}
      </nav>
    {:else}
      <span class="muted">{t.runAt(data.runs[0]?.started_at?.slice(11, 16) ?? '', data.laps)}</span>
    {/if}
    <a href="/debrief/progress?driver={data.driver.id}">{texts.season.views.progress}</a>
    <span class="muted">{data.reference_driver ? t.against(data.reference_driver) : t.alone}</span>
  </header>
  {#if preparing.trouble}<Trouble error={preparing.trouble} />{/if}
  <div class="two">
    <div>
      {#if data.before}<Checked {data} />{/if}
      <StillOpen {data} {leads} onask={ask} />
      <Said {data} />
      <section aria-label={t.found}>
        <h2>{t.found}</h2>
        {#if data.state === 'coming'}<p class="muted" role="status">{t.compared}</p>
        {:else if data.state === 'failed'}<p>{t.failed}</p>
        {:else if data.state === 'none'}<p>{t.nothingToCompare}</p>
        {:else if !data.findings.length}<p>{t.noneFound}</p>{/if}
        {#each shown as one (`${one.passage}${one.corner}`)}
          <FindingRow finding={one} {data} {leads} {taken} onask={ask} />
        {/each}
        {#if rest > 0 && forward.length}
          <button type="button" class="may" onclick={() => (all = !all)}>{all ? t.less : t.more(rest)}</button
          >
        {/if}
      </section>
      <section aria-label={t.strengths}>
        <h2>{t.strengths}</h2>
        {#each data.strengths as one (one.passage)}
          <StrengthRow keep={one} {data} {leads} {taken} onask={ask} />
        {/each}
      </section>
    </div>
    <Tray {data} {preparing} {leads} />
  </div>
  {#if preparing.waiting}<LeaveSheet {preparing} />{/if}
{/if}

<style>
  .head {
    display: flex;
    flex-wrap: wrap;
    align-items: baseline;
    gap: 4px 16px;
    margin-bottom: 8px;
    font-size: 13.5px;
  }
  h1 {
    font-size: 20px;
    font-weight: 660;
    overflow-wrap: anywhere;
  }
  nav {
    display: flex;
    flex-wrap: wrap;
    gap: 4px 12px;
  }
  nav a[aria-current] {
    color: var(--ink);
    font-weight: 600;
    border-bottom: 2px solid var(--brass);
  }
  h2 {
    font-size: 15px;
    font-weight: 640;
    margin: 12px 0 4px;
  }
  .two {
    display: grid;
    grid-template-columns: minmax(0, 1fr) 300px;
    gap: 18px;
    align-items: start;
    padding-bottom: 30px;
  }
  @media (max-width: 1020px) {
    .two {
      grid-template-columns: minmax(0, 1fr);
    }
  }
</style>
