<!-- What a day is measured against: said in a line, and changed for the whole day in one place. -->
<script lang="ts">
  import { createInfiniteQuery, createQuery, useQueryClient } from '@tanstack/svelte-query';
  import { api, done, type DayMeasured } from '$lib/api/client';
  import { choicesOf } from '$lib/api/choices';
  import { keys } from '$lib/api/keys';
  import { driverColour } from '$lib/draw/colours';
  import { mode } from '$lib/draw/mode.svelte';
  import { measureDay, OWN_BESTS } from '$lib/parts/measuring';
  import Sheet from '$lib/parts/Sheet.svelte';
  import Trouble from '$lib/parts/Trouble.svelte';
  import { day as written } from '$lib/quantities/dates.svelte';
  import { lapTime } from '$lib/quantities/units';
  import { present } from '$lib/session/present.svelte';
  import { texts } from '$lib/words';

  interface Props {
    event: number;
    day: string;
    /** what is known already of it; else it is asked for */
    known?: DayMeasured;
  }
  let { event, day, known }: Props = $props();

  const t = texts.dayReference;
  const client = useQueryClient();
  const leads = $derived(present.me?.role === 'owner' || present.me?.role === 'coach');
  const asked = createQuery(() => ({
    queryKey: keys.dayReference(event),
    queryFn: () =>
      done(api.GET('/api/events/{event_id}/reference', { params: { path: { event_id: event } } })),
    enabled: known === undefined,
  }));
  const found = $derived(known ?? asked.data);
  const groups = $derived(found?.measured ?? []);
  const chosen = $derived(groups.find((one) => one.chosen));
  const lapOf = (one: DayMeasured['measured'][number]): string =>
    one.day === day
      ? t.lap(one.driver.name, one.number, lapTime(one.time_s))
      : t.lapOf(one.driver.name, one.number, lapTime(one.time_s), written(one.day));
  const lines = $derived(
    found?.own_bests
      ? [t.ownBests]
      : groups.map((one) =>
          groups.length > 1 ? t.inConditions(t.conditions[one.conditions], lapOf(one)) : lapOf(one),
        ),
  );

  let open = $state(false);
  let everywhere = $state(false);
  let trouble = $state<unknown>(null);
  const choices = createInfiniteQuery(() => ({ ...choicesOf(event, everywhere), enabled: open }));
  const runs = $derived(
    (choices.data?.pages.flatMap((page) => page.runs) ?? [])
      .filter((run) => run.best !== null)
      .map((run) => ({ ...run, lap: run.laps.find((lap) => lap.key === run.best) }))
      .sort(
        (a, b) =>
          Number(b.driver.reference_only) - Number(a.driver.reference_only) ||
          (a.lap?.time_s ?? 0) - (b.lap?.time_s ?? 0),
      ),
  );
  const ruled = $derived(!found?.own_bests && !chosen);

  async function choose(lap: string | null): Promise<void> {
    trouble = null;
    try {
      await measureDay(client, event, lap);
      open = false;
    } catch (error) {
      trouble = error;
    }
  }
</script>

{#if lines.length}
  <p class="measured">
    <span class="muted">{t.against}</span>
    {#each lines as line, i (i)}<span class="one">{line}</span>{/each}
    {#if leads}<button type="button" class="change" onclick={() => (open = true)}>{t.change}</button>{/if}
  </p>
{/if}

<Sheet bind:open title={t.title}>
  <p class="muted hint">{t.hint}</p>
  {#if trouble}<Trouble error={trouble} />{/if}
  <ul>
    <li>
      <button type="button" class="pick" aria-pressed={ruled} onclick={() => void choose(null)}
        >{t.byRule}<span class="muted">{t.byRuleMeans}</span></button
      >
    </li>
    <li>
      <button
        type="button"
        class="pick"
        aria-pressed={Boolean(found?.own_bests)}
        onclick={() => void choose(OWN_BESTS)}
        >{t.ownBests}<span class="muted">{t.ownBestsMeans}</span></button
      >
    </li>
  </ul>
  <h3>{everywhere ? t.bestsEverywhere : t.bestsOfDay}</h3>
  <label class="every"><input type="checkbox" bind:checked={everywhere} /> {t.otherDays}</label>
  {#if choices.error}<Trouble error={choices.error} again={() => void choices.refetch()} />{/if}
  <ul>
    {#each runs as run (run.run)}
      <li>
        <button
          type="button"
          class="pick"
          aria-pressed={chosen?.lap === run.best}
          onclick={() => void choose(run.best)}
        >
          <b style:color={driverColour(run.driver.colour, mode.dark)}>{run.driver.name}</b>
          <span class="figure">{lapTime(run.lap?.time_s ?? null)}</span>
          <span class="muted"
            >{[
              t.conditions[run.conditions ?? 'dry'],
              run.car,
              run.day === day ? null : written(run.day),
              run.driver.reference_only ? t.instructor : null,
            ]
              .filter(Boolean)
              .join(', ')}</span
          >
        </button>
      </li>
    {/each}
  </ul>
  {#if choices.hasNextPage}
    <button type="button" class="may" onclick={() => void choices.fetchNextPage()}>{t.more}</button>
  {/if}
</Sheet>

<style>
  .measured {
    display: flex;
    flex-wrap: wrap;
    align-items: baseline;
    gap: 2px 10px;
    font-size: 14px;
  }
  .one {
    overflow-wrap: anywhere;
  }
  .change {
    min-height: 24px;
    color: var(--accent);
    text-decoration: underline;
    text-underline-offset: 3px;
    cursor: pointer;
  }
  .hint {
    font-size: 13px;
    margin-bottom: 8px;
  }
  h3 {
    font-size: 14px;
    font-weight: 640;
    margin: 12px 0 2px;
  }
  .every {
    display: flex;
    align-items: center;
    gap: 6px;
    min-height: 28px;
    font-size: 13px;
  }
  .pick {
    display: flex;
    flex-wrap: wrap;
    align-items: baseline;
    gap: 0 12px;
    width: 100%;
    min-height: 32px;
    padding: 4px 8px;
    text-align: left;
    border-radius: 4px;
    cursor: pointer;
    overflow-wrap: anywhere;
  }
  .pick:hover {
    background: var(--strip);
  }
  .pick[aria-pressed='true'] {
    background: var(--band);
  }
  .pick b {
    font-weight: 640;
    min-width: 9em;
  }
  .pick .muted {
    font-size: 13px;
  }
</style>
