<!-- What the laps are measured against: one that lies there, somebody's best, or one that nobody drove as a whole. -->
<script lang="ts">
  import { createInfiniteQuery } from '@tanstack/svelte-query';
  import { choicesOf } from '$lib/api/choices';
  import { inFull } from '$lib/desk/called';
  import type { Desk } from '$lib/desk/desk.svelte';
  import Sheet from '$lib/parts/Sheet.svelte';
  import Trouble from '$lib/parts/Trouble.svelte';
  import { texts } from '$lib/words';

  interface Props {
    desk: Desk;
    open: boolean;
    onmeasure: (key: string) => void;
  }
  let { desk, open = $bindable(), onmeasure }: Props = $props();

  const t = texts.compare.against;
  /** the newest runs, a hundred a page: who drove longer ago is found among the laps */
  const PAGES = 5;
  const event = $derived(desk.lineUp?.event.id ?? 0);
  // Of all days: an instructor's lap may have been driven on another.
  const choices = createInfiniteQuery(() => ({ ...choicesOf(event, true), enabled: open && event > 0 }));
  $effect(() => {
    const more =
      choices.hasNextPage && !choices.isFetchingNextPage && (choices.data?.pages.length ?? 0) < PAGES;
    if (open && more) void choices.fetchNextPage();
  });
  const runs = $derived(choices.data?.pages.flatMap((page) => page.runs) ?? []);
  const drivers = $derived(
    [...new Map(runs.map((run) => [run.driver.id, run.driver])).values()].sort(
      (a, b) => Number(b.reference_only) - Number(a.reference_only) || a.name.localeCompare(b.name),
    ),
  );
  let driver = $state<number | null>(null);
  const who = $derived(
    drivers.find((item) => item.id === (driver ?? desk.chosenLap?.driver?.id)) ?? drivers[0],
  );
  const today = $derived(runs.some((run) => run.event === event && run.driver.id === who?.id));
  const ofOne = $derived(
    who
      ? [
          ...(today
            ? [
                { key: `best-d${who.id}e${event}`, says: t.best(who.name) },
                { key: `median-d${who.id}e${event}`, says: t.median(who.name) },
                { key: `sectors-d${who.id}e${event}`, says: t.sectors(who.name) },
                { key: `passages-d${who.id}e${event}`, says: t.passages(who.name) },
              ]
            : []),
          { key: `best-d${who.id}`, says: t.ever(who.name) },
        ]
      : [],
  );
  const ofAll = $derived([
    { key: `sectors-e${event}`, says: t.allSectors },
    { key: `passages-e${event}`, says: t.allPassages },
    { key: `median-e${event}`, says: t.allMedian },
  ]);

  function measure(key: string): void {
    onmeasure(key);
    open = false;
  }
</script>

{#snippet list(items: { key: string; says: string }[])}
  <ul>
    {#each items as item (item.key)}
      <li>
        <button
          type="button"
          class="pick"
          aria-pressed={item.key === desk.lineUp?.reference}
          data-reference={item.key}
          onclick={() => measure(item.key)}>{item.says}</button
        >
      </li>
    {/each}
  </ul>
{/snippet}

<Sheet bind:open title={t.change}>
  <section aria-label={t.ofOne}>
    <h3>{t.ofOne}</h3>
    {#if choices.error}<Trouble error={choices.error} again={() => void choices.refetch()} />{/if}
    <select
      class="select"
      aria-label={texts.compare.fill.driver}
      value={who?.id ?? null}
      onchange={(event) => (driver = Number(event.currentTarget.value))}
    >
      {#each drivers as item (item.id)}<option value={item.id}>{item.name}</option>{/each}
    </select>
    {@render list(ofOne)}
  </section>
  <section aria-label={t.ofAll}>
    <h3>{t.ofAll}</h3>
    {@render list(ofAll)}
  </section>
  <section aria-label={t.onDesk}>
    <h3>{t.onDesk}</h3>
    {@render list(desk.laps.map((lap) => ({ key: lap.key, says: inFull(lap) })))}
  </section>
</Sheet>

<style>
  section {
    margin-bottom: 14px;
  }
  h3 {
    font-size: 14px;
    font-weight: 640;
    margin-bottom: 4px;
  }
  .select {
    width: auto;
    max-width: 100%;
    height: 30px;
    padding: 0 28px 0 8px;
    font-size: 13px;
  }
  .pick {
    display: block;
    width: 100%;
    min-height: 30px;
    padding: 3px 8px;
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
    font-weight: 640;
  }
</style>
