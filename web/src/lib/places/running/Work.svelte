<!-- One piece of long work: what it is about, how far it is or how it ended, and what can be done. -->
<script lang="ts">
  import { Progress } from '@skeletonlabs/skeleton-svelte';
  import type { RunningJob } from '$lib/api/client';
  import { day, moment } from '$lib/quantities/dates.svelte';
  import { texts } from '$lib/words';

  interface Props {
    job: RunningJob;
    stop: (job: RunningJob) => void;
    again: (job: RunningJob) => void;
  }
  let { job, stop, again }: Props = $props();
  const t = texts.running;

  const open = $derived(job.state === 'waiting' || job.state === 'running');
  const doing = $derived(
    job.stopping
      ? t.stopping
      : job.waits_for
        ? (t.steps[`waits-${job.waits_for}`] ?? job.waits_for)
        : job.state === 'waiting'
          ? t.ahead(job.ahead)
          : (t.steps[job.step] ?? job.step),
  );
  const began = $derived(job.started_at ?? job.created_at);
  const took = $derived(
    job.finished_at ? t.took((Date.parse(job.finished_at) - Date.parse(began)) / 1000) : null,
  );
  const about = $derived(job.about_day ? `${job.about}, ${day(job.about_day)}` : job.about);
  const name = $derived(`${t.kinds[job.kind] ?? job.kind}${about ? `: ${about}` : ''}`);
</script>

<li>
  <p class="what">
    <strong>{t.kinds[job.kind] ?? job.kind}</strong>
    {#if about}
      {#if job.address}<a class="about" href={job.address} title={about}>{about}</a>
      {:else}<span class="about" title={about}>{about}</span>{/if}
    {/if}
  </p>
  {#if open}
    <div class="how">
      <p>
        {doing}{job.tries > 1 ? `, ${t.tries(job.tries)}` : ''}
        <span class="muted figure"
          >{job.state === 'running' ? `${Math.round(job.progress * 100)} %` : ''}</span
        >
      </p>
      <Progress value={job.state === 'running' ? Math.round(job.progress * 100) : 0} aria-label={name}
        ><Progress.Track class="track"><Progress.Range class="range" /></Progress.Track></Progress
      >
    </div>
  {:else}
    <p class="how">
      <span class={job.state === 'done' ? 'gain' : job.state === 'cancelled' ? 'muted' : 'loss'}
        >{t.states[job.state] ?? job.state}</span
      >
      {#if job.message}<span class="small">{job.message}</span>{/if}
    </p>
  {/if}
  <p class="when small muted">
    {moment(job.finished_at ?? began)}{took ? `, ${took}` : ''}{job.who ? `, ${t.by(job.who)}` : ''}
  </p>
  <p class="can">
    {#if job.can_cancel}<button
        type="button"
        class="may"
        aria-label="{t.stop}: {name}"
        onclick={() => stop(job)}>{t.stop}</button
      >{/if}
    {#if job.can_retry}<button
        type="button"
        class="may"
        aria-label="{t.again}: {name}"
        onclick={() => again(job)}>{t.again}</button
      >{/if}
    {#if job.file}<a class="may" href="/api/jobs/{job.id}/file" aria-label="{t.fetch}: {name}">{t.fetch}</a
      >{/if}
  </p>
</li>

<style>
  li {
    display: grid;
    grid-template-columns: minmax(0, 5fr) minmax(0, 6fr) minmax(0, 4fr) 130px;
    gap: 4px 18px;
    align-items: center;
    min-height: 50px;
    padding: 6px 0;
    border-top: 1px solid var(--rule);
  }
  .what {
    display: grid;
  }
  .about {
    overflow: hidden;
    text-overflow: ellipsis;
    white-space: nowrap;
  }
  .how {
    display: grid;
    gap: 4px;
    overflow-wrap: anywhere;
  }
  .small {
    font-size: 13px;
  }
  .can {
    display: flex;
    justify-content: flex-end;
  }
  @media (max-width: 860px) {
    li {
      grid-template-columns: minmax(0, 1fr) auto;
    }
    .how,
    .when {
      grid-column: 1;
    }
    .can {
      grid-column: 2;
      grid-row: 1;
    }
  }
</style>
