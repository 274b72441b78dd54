<!-- The season: days with what was driven and worked on, by month. -->
<script lang="ts">
  import { createInfiniteQuery } from '@tanstack/svelte-query';
  import { api, done, type CalendarDay } from '$lib/api/client';
  import { keys } from '$lib/api/keys';
  import Book from '$lib/parts/Book.svelte';
  import Trouble from '$lib/parts/Trouble.svelte';
  import Views from '$lib/places/season/Views.svelte';
  import { monthOf, shortDay } from '$lib/quantities/dates.svelte';
  import { texts } from '$lib/words';

  const t = texts.season;
  const found = createInfiniteQuery(() => ({
    queryKey: keys.calendar(),
    queryFn: ({ pageParam }: { pageParam: string | null }) =>
      done(api.GET('/api/season/calendar', { params: { query: pageParam ? { before: pageParam } : {} } })),
    initialPageParam: null as string | null,
    getNextPageParam: (last) => last.next,
  }));
  const days = $derived(found.data?.pages.flatMap((one) => one.days) ?? []);
  const months = $derived.by(() => {
    const all: { key: string; name: string; days: CalendarDay[] }[] = [];
    for (const one of days) {
      const key = one.event.day.slice(0, 7);
      const last = all.at(-1);
      if (last?.key === key) last.days.push(one);
      else all.push({ key, name: monthOf(one.event.day), days: [one] });
    }
    return all;
  });
</script>

<svelte:head><title>{t.views.calendar} · {texts.name}</title></svelte:head>

<Book>
  {#snippet left()}
    <Views />
    <ul class="months">
      {#each months as month (month.key)}
        <li><a href="#m{month.key}">{month.name}</a> <span class="muted">{month.days.length}</span></li>
      {/each}
    </ul>
  {/snippet}

  {#if found.error && !found.data}
    <Trouble error={found.error} again={() => void found.refetch()} />
  {:else if !found.data}
    <p class="muted" role="status">{texts.loading}</p>
  {:else if !days.length}
    <div class="empty">
      <p>{t.calendarEmpty}</p>
      <a class="do" href="/hand-in">{t.emptyNext}</a>
    </div>
  {:else}
    {#each months as month (month.key)}
      <section id="m{month.key}" aria-label={month.name}>
        <h2>{month.name}</h2>
        <ul>
          {#each month.days as one (one.event.id)}
            <li>
              <span class="date figure">{shortDay(one.event.day)}</span>
              <div class="what">
                <p>
                  <a href="/debrief/day?event={one.event.id}"><strong>{one.event.name}</strong></a>
                  <span class="muted">{one.event.circuit}</span>
                </p>
                {#if one.worked_on.length}
                  <p class="small">
                    <span class="muted">{t.workedOn}:</span>
                    {one.worked_on
                      .map((each) => (each.cues > 1 ? `${each.label} (${each.cues})` : each.label))
                      .join(', ')}
                  </p>
                {/if}
              </div>
              <p class="small muted counts">
                {t.calendarDay(one.drivers, one.event.runs, one.laps)}{one.debriefs
                  ? `, ${t.calendarDebriefs(one.debriefs)}`
                  : ''}{one.notes ? `, ${t.calendarNotes(one.notes)}` : ''}
              </p>
              <a class="small" href="/paddock?event={one.event.id}">{t.openPaddock}</a>
            </li>
          {/each}
        </ul>
      </section>
    {/each}
    {#if found.hasNextPage}
      <button
        type="button"
        class="may"
        disabled={found.isFetchingNextPage}
        onclick={() => void found.fetchNextPage()}>{t.older}</button
      >
    {/if}
  {/if}
</Book>

<style>
  .months {
    display: grid;
    gap: 4px;
    font-size: 14px;
  }
  h2 {
    font-size: 15px;
    font-weight: 640;
    margin: 14px 0 2px;
  }
  section li {
    display: grid;
    grid-template-columns: 66px minmax(0, 1fr) minmax(0, 250px) auto;
    gap: 4px 16px;
    align-items: baseline;
    border-top: 1px solid var(--rule);
    padding: 8px 0;
  }
  .what p {
    overflow-wrap: anywhere;
  }
  strong {
    font-weight: 640;
  }
  .small {
    font-size: 13px;
  }
  @media (max-width: 700px) {
    section li {
      grid-template-columns: 66px minmax(0, 1fr);
    }
    .counts,
    section li > a {
      grid-column: 2;
    }
  }
</style>
