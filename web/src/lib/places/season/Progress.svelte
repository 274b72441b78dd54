<!-- One driver over days: pace, cues and what became of them, records, steadiness. -->
<script lang="ts">
  import { goto } from '$app/navigation';
  import { page } from '$app/state';
  import { createQuery, keepPreviousData } from '@tanstack/svelte-query';
  import { api, done } from '$lib/api/client';
  import { keys } from '$lib/api/keys';
  import { driverColour } from '$lib/draw/colours';
  import { mode } from '$lib/draw/mode.svelte';
  import Book from '$lib/parts/Book.svelte';
  import Trouble from '$lib/parts/Trouble.svelte';
  import { changed, numberOf } from '$lib/places/season/address';
  import { columnsOf } from '$lib/places/season/columns';
  import { habitsOf, type HabitOver } from '$lib/places/season/habits';
  import HabitRow from '$lib/places/season/HabitRow.svelte';
  import Following from '$lib/places/season/Following.svelte';
  import PaceRow from '$lib/places/season/PaceRow.svelte';
  import PaceTable from '$lib/places/season/PaceTable.svelte';
  import ProgressSide from '$lib/places/season/ProgressSide.svelte';
  import Signs from '$lib/places/season/Signs.svelte';
  import Steadiness from '$lib/places/season/Steadiness.svelte';
  import Views from '$lib/places/season/Views.svelte';
  import { chosen } from '$lib/session/chosen.svelte';
  import { present } from '$lib/session/present.svelte';
  import { texts } from '$lib/words';

  const t = texts.season;
  const [COMING_MS, LOOK_MS] = [1_200, 20_000];
  const [WORDS, NARROW] = [270, 130];
  const MORE = 40;
  const drives = $derived(present.me?.role === 'driver');
  const asked = $derived(numberOf(page.url, 'driver'));
  const layout = $derived(numberOf(page.url, 'layout'));
  const most = $derived(Math.min(numberOf(page.url, 'cues') ?? MORE, 400));
  const opened = $derived(numberOf(page.url, 'cue'));
  const asTable = $derived(page.url.searchParams.get('as') === 'table');
  let width = $state(0);
  let score = $state<HTMLElement>();

  const own = createQuery(() => ({
    queryKey: keys.paddock({ age: 0 }),
    queryFn: () => done(api.GET('/api/paddock', { params: { query: { age: 0 } } })),
    enabled: asked === null,
    staleTime: 60_000,
  }));
  /** whom is looked at: of the latest day's students the first, where nobody is named; a driver looks at their own */
  const driver = $derived(
    asked ??
      own.data?.drivers.find((one) => one.id === chosen.driver)?.id ??
      own.data?.runs.find((run) => drives || !run.driver.reference_only)?.driver.id ??
      own.data?.drivers[0]?.id ??
      null,
  );
  $effect(() => {
    if (asked !== null) chosen.take({ driver: asked });
  });
  const found = createQuery(() => ({
    queryKey: keys.driverSeason(driver ?? 0, layout, most),
    queryFn: () =>
      done(
        api.GET('/api/season/drivers/{driver_id}', {
          params: { path: { driver_id: driver ?? 0 }, query: { layout: layout ?? undefined, cues: most } },
        }),
      ),
    enabled: driver !== null,
    placeholderData: keepPreviousData,
    refetchInterval: (query) => (query.state.data?.follow.state === 'coming' ? COMING_MS : LOOK_MS),
  }));
  const season = $derived(found.data);
  /** px for the words of a cue, fewer on a phone */
  const margin = $derived(width && width < 560 ? NARROW : WORDS);
  const runs = $derived(season?.runs ?? []);
  const columns = $derived(columnsOf(runs, Math.max(width - margin, 200)));
  const here = $derived((season?.cues ?? []).filter((over) => columns.at[over.run] !== undefined));
  const cues = $derived(habitsOf(here.filter((over) => over.cue.kind === 'cue')));
  const keeps = $derived(habitsOf(here.filter((over) => over.cue.kind === 'keep')));
  const cars = $derived(
    Object.fromEntries(
      (season?.trims ?? []).map((trim) => [
        trim.id,
        [trim.car, trim.tyres, trim.grip === 'dry' ? '' : trim.grip].filter(Boolean).join(', '),
      ]),
    ),
  );
  const colour = $derived(driverColour(season?.driver.colour ?? 0, mode.dark));
  const about = $derived(
    season
      ? [season.driver.name, season.layouts.find((one) => one.id === season.layout)?.name].join('. ')
      : '',
  );

  // The newest runs and cues are what is looked for: a long season opens at its end.
  const whose = $derived(season?.driver.id);
  const whole = $derived(columns.width);
  $effect(() => {
    void whose;
    if (score && whole > margin) score.scrollLeft = score.scrollWidth;
  });

  const isOpen = (habit: HabitOver): boolean => habit.asked.some((over) => over.cue.id === opened);
  const toggle = (habit: HabitOver): void =>
    void goto(changed(page.url, { cue: isOpen(habit) ? null : (habit.asked[0]?.cue.id ?? null) }), {
      keepFocus: true,
      noScroll: true,
    });
</script>

<svelte:head><title>{t.views.progress} · {texts.name}</title></svelte:head>

<Book {about}>
  {#snippet left()}
    <Views />
    <ProgressSide {season} />
  {/snippet}

  {#if found.error && !season}
    <Trouble error={found.error} again={() => void found.refetch()} />
  {:else if driver === null && own.data}
    <div class="empty">
      <p>{t.emptySchool}</p>
      {#if !drives}<a class="do" href="/hand-in">{t.emptyNext}</a>{/if}
    </div>
  {:else if !season}
    <p class="muted" role="status">{texts.loading}</p>
  {:else if !runs.length}
    <div class="empty"><p>{t.emptyDriver}</p></div>
  {:else}
    <Following follow={season.follow} />
    <header class="head">
      <h1>{season.driver.name}</h1>
      <Signs />
      <a class="may" href={changed(page.url, { as: asTable ? null : 'table' })}
        >{asTable ? t.noTable : t.table}</a
      >
    </header>
    {#if asTable}
      <PaceTable {runs} {cars} />
    {/if}
    <!-- svelte-ignore a11y_no_noninteractive_tabindex -->
    <div
      class="score"
      bind:this={score}
      bind:clientWidth={width}
      tabindex={columns.width > width - margin ? 0 : undefined}
    >
      <div class="grid" style:grid-template-columns="{margin}px {columns.width}px">
        <div class="name">
          <h2>{t.pace}</h2>
          <p class="muted">{t.paceLead}</p>
        </div>
        <PaceRow {runs} {columns} {colour} {cars} />
        <div class="name">
          <h2>{t.cues}</h2>
          <p class="muted">{cues.length ? t.cuesLead : t.noCues}</p>
        </div>
        <div>
          {#if !here.length && !drives}<a class="do" href="/debrief">{t.noCuesNext}</a>{/if}
        </div>
        {#each cues as habit (habit.key)}
          <HabitRow {habit} {columns} open={isOpen(habit)} ontoggle={() => toggle(habit)} />
        {/each}
        {#if keeps.length}
          <div class="name keeps"><h2>{t.keeps}</h2></div>
          <div></div>
          {#each keeps as habit (habit.key)}
            <HabitRow {habit} {columns} open={isOpen(habit)} ontoggle={() => toggle(habit)} />
          {/each}
        {/if}
      </div>
    </div>
    {#if season.more_cues}
      <a class="may more" href={changed(page.url, { cues: most + MORE })}>{t.moreCues(season.more_cues)}</a>
    {/if}
    <Steadiness {season} />
  {/if}
</Book>

<style>
  .head {
    display: flex;
    flex-wrap: wrap;
    align-items: center;
    gap: 6px 18px;
    padding-bottom: 6px;
  }
  h1 {
    font-size: 19px;
    font-weight: 660;
    overflow-wrap: anywhere;
  }
  .head .may {
    margin-left: auto;
  }
  h2 {
    font-size: 14.5px;
    font-weight: 640;
  }
  .score {
    overflow-x: auto;
  }
  .grid {
    display: grid;
    align-items: stretch;
    width: max-content;
  }
  .name {
    position: sticky;
    left: 0;
    z-index: 1;
    background: var(--paper);
    padding: 10px 10px 4px 0;
  }
  .name p {
    font-size: 12.5px;
    line-height: 1.3;
  }
  .keeps {
    padding-top: 14px;
  }
  .more {
    margin: 10px 0;
  }
</style>
