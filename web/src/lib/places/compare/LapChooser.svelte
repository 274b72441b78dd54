<!-- Which laps lie on the desk, and which of them is the reference. -->
<script lang="ts">
  import { createInfiniteQuery } from '@tanstack/svelte-query';
  import { api, done, type Choices } from '$lib/api/client';
  import { keys } from '$lib/api/keys';
  import { MOST_LAPS, type Desk } from '$lib/desk/desk.svelte';
  import { driverColour } from '$lib/draw/colours';
  import { mode } from '$lib/draw/mode.svelte';
  import { texts } from '$lib/words';
  import { lapTime } from '$lib/quantities/units';
  import Sheet from '$lib/parts/Sheet.svelte';
  import Trouble from '$lib/parts/Trouble.svelte';

  interface Props {
    desk: Desk;
    open: boolean;
    onlay: (laps: string[], reference: string) => void;
  }
  let { desk, open = $bindable(), onlay }: Props = $props();

  const t = texts.compare;
  let ticked = $state<string[]>([]);
  let reference = $state('');
  const event = $derived(desk.lineUp?.event.id ?? 0);
  const choices = createInfiniteQuery(() => ({
    queryKey: keys.choices(event),
    queryFn: ({ pageParam }) =>
      done(
        api.GET('/api/choices', {
          params: { query: { event, ...(pageParam === null ? {} : { after: pageParam }) } },
        }),
      ),
    initialPageParam: null as number | null,
    getNextPageParam: (last: Choices) => last.next,
    enabled: open && event > 0,
  }));
  const runs = $derived(choices.data?.pages.flatMap((page) => page.runs) ?? []);

  $effect(() => {
    if (!open) return;
    ticked = desk.laps.map((lap) => lap.key);
    reference = desk.lineUp?.reference ?? '';
  });

  function onlyBest(): void {
    const best: Record<number, { key: string; time_s: number }> = {};
    for (const run of runs)
      for (const lap of run.laps) {
        const other = best[run.driver.id];
        if (!lap.set_aside && (!other || lap.time_s < other.time_s)) best[run.driver.id] = lap;
      }
    const found = Object.values(best).sort((a, b) => a.time_s - b.time_s);
    ticked = found.map((lap) => lap.key);
    reference = ticked[0] ?? '';
  }

  function lay(): void {
    const all = runs.flatMap((run) => run.laps.map((lap) => lap.key));
    const laps = all.filter((key) => ticked.includes(key) || key === reference);
    laps.sort((a, b) => Number(b === reference) - Number(a === reference));
    onlay(laps, reference);
    open = false;
  }
</script>

<Sheet bind:open title={t.chooseLaps}>
  <p class="muted">{t.chooseLapsHint}</p>
  {#if choices.error}<Trouble error={choices.error} again={() => void choices.refetch()} />{/if}
  {#each runs as run (run.run)}
    <fieldset>
      <legend style:color={driverColour(run.driver.colour, mode.dark)}
        >{run.driver.name} <span class="muted figure">{run.started_at?.slice(11, 16) ?? ''}</span></legend
      >
      <div class="laps">
        {#each run.laps as lap (lap.key)}
          <div class="lap" class:aside={lap.set_aside}>
            <input
              type="radio"
              name="reference"
              value={lap.key}
              bind:group={reference}
              aria-label={t.makeReference(t.lapOf(run.driver.name, lap.number))}
              title={t.makeReference(t.lapOf(run.driver.name, lap.number))}
            />
            <label
              ><input
                type="checkbox"
                value={lap.key}
                bind:group={ticked}
                disabled={lap.key === reference}
                checked={lap.key === reference}
                aria-label={t.take(t.lapOf(run.driver.name, lap.number))}
              />
              <span class="figure">{lap.number}</span>
              <span class="figure" class:best-own={lap.time_s === Math.min(...run.laps.map((l) => l.time_s))}
                >{lapTime(lap.time_s)}</span
              ></label
            >
          </div>
        {/each}
      </div>
    </fieldset>
  {/each}
  {#if choices.hasNextPage}
    <button type="button" class="may" onclick={() => void choices.fetchNextPage()}>{t.moreRuns}</button>
  {/if}
  {#snippet footer()}
    {#if ticked.length > MOST_LAPS}<span class="loss">{t.tooMany(MOST_LAPS)}</span>{/if}
    <button type="button" class="may" onclick={onlyBest}>{t.onlyBest}</button>
    <button type="button" class="do" disabled={!reference || ticked.length > MOST_LAPS} onclick={lay}
      >{t.done}</button
    >
  {/snippet}
</Sheet>

<style>
  fieldset {
    margin-top: 12px;
  }
  legend {
    font-weight: 620;
    margin-bottom: 2px;
  }
  .laps {
    display: grid;
    grid-template-columns: repeat(auto-fill, minmax(132px, 1fr));
  }
  .lap {
    display: flex;
    align-items: center;
    gap: 7px;
    min-height: 28px;
  }
  .lap label {
    display: flex;
    gap: 7px;
    align-items: center;
    cursor: pointer;
  }
  .aside label {
    color: var(--muted);
    font-style: italic;
  }
  input {
    accent-color: var(--accent);
    width: 15px;
    height: 15px;
  }
</style>
