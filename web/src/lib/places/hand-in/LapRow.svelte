<!-- The laps of a run: what counts, what was set aside and why, and the way back. -->
<script lang="ts">
  import { api, done, type RunDetail } from '$lib/api/client';
  import { noteAction } from '$lib/parts/notes.svelte';
  import { texts } from '$lib/words';
  import { lapTime } from '$lib/quantities/units';

  interface Props {
    run: RunDetail;
    changed: (run: RunDetail) => void;
    trouble: (error: unknown) => void;
  }
  let { run, changed, trouble }: Props = $props();
  const t = texts.handIn;

  async function judge(number: number, counts: boolean): Promise<void> {
    const params = { path: { run_id: run.run.id } };
    try {
      const said = await done(
        api.PATCH('/api/runs/{run_id}/laps/{number}', {
          params: { path: { ...params.path, number } },
          body: { counts },
        }),
      );
      changed(said);
      noteAction(counts ? t.lapCounts(number) : t.lapAside(number), said.action, async () => {
        changed(await done(api.GET('/api/runs/{run_id}', { params })));
      });
    } catch (error) {
      trouble(error);
    }
  }
</script>

<ul class="laps">
  {#each run.laps as lap (lap.number)}
    <li class:aside={lap.set_aside}>
      <span class="n">{lap.number}</span>
      <span class="figure" class:best-own={lap.number === run.run.best_lap}>{lapTime(lap.time_s) || '–'}</span
      >
      <span class="muted why">{lap.set_aside ? (t.why[lap.set_aside] ?? lap.set_aside) : t.counts}</span>
      {#if lap.time_s !== null}
        {#if lap.set_aside}
          <button
            type="button"
            class="small"
            aria-label="{t.lap(lap.number)}: {t.letCount}"
            onclick={() => judge(lap.number, true)}>{t.letCount}</button
          >
        {:else}
          <button
            type="button"
            class="small"
            aria-label="{t.lap(lap.number)}: {t.setAside}"
            onclick={() => judge(lap.number, false)}>{t.setAside}</button
          >
        {/if}
      {/if}
    </li>
  {/each}
</ul>

<style>
  .laps {
    display: grid;
    grid-template-columns: repeat(auto-fill, minmax(330px, 1fr));
    gap: 0 28px;
  }
  li {
    display: grid;
    grid-template-columns: 24px 74px minmax(0, 1fr) auto;
    gap: 8px;
    align-items: center;
    min-height: 32px;
    border-bottom: 1px solid var(--rule);
  }
  .n {
    color: var(--muted);
  }
  .aside .figure {
    color: var(--muted);
  }
  .why {
    font-size: 13px;
  }
  .small {
    min-height: 28px;
    padding: 0 8px;
    font-size: 13px;
    color: var(--accent);
    border-radius: 4px;
    cursor: pointer;
  }
  .small:hover {
    background: var(--strip);
  }
</style>
