<!-- The school over days: who improves, what days and cars do, where time lies, which cues work. -->
<script lang="ts">
  import { goto } from '$app/navigation';
  import { page } from '$app/state';
  import { createQuery, keepPreviousData } from '@tanstack/svelte-query';
  import { api, done } from '$lib/api/client';
  import { keys } from '$lib/api/keys';
  import Book from '$lib/parts/Book.svelte';
  import Trouble from '$lib/parts/Trouble.svelte';
  import { changed, numberOf } from '$lib/places/season/address';
  import Exercise from '$lib/places/season/Exercise.svelte';
  import Following from '$lib/places/season/Following.svelte';
  import Improving from '$lib/places/season/Improving.svelte';
  import Lying from '$lib/places/season/Lying.svelte';
  import Told from '$lib/places/season/Told.svelte';
  import Views from '$lib/places/season/Views.svelte';
  import Working from '$lib/places/season/Working.svelte';
  import { figure, unitOf } from '$lib/quantities/units';
  import { shortDay } from '$lib/quantities/dates.svelte';
  import { present } from '$lib/session/present.svelte';
  import { texts } from '$lib/words';

  const t = texts.season;
  const [COMING_MS, LOOK_MS] = [1_200, 20_000];
  const layout = $derived(numberOf(page.url, 'layout'));
  const since = $derived(page.url.searchParams.get('since'));
  const who = $derived(page.url.searchParams.get('with'));
  const asked = $derived({
    ...(layout ? { layout } : {}),
    ...(since && who ? { since, with_drivers: who } : {}),
  });
  const found = createQuery(() => ({
    queryKey: keys.schoolSeason(asked),
    queryFn: () => done(api.GET('/api/season/school', { params: { query: asked } })),
    placeholderData: keepPreviousData,
    refetchInterval: (query) => (query.state.data?.follow.state === 'coming' ? COMING_MS : LOOK_MS),
  }));
  const season = $derived(found.data);
  const speed = $derived(unitOf('speed', present.units));
  const about = $derived(season?.layouts.find((one) => one.id === season?.layout)?.name ?? '');
  const share = $derived(season?.scatter ? `${(season.scatter * 100).toFixed(1)} %` : '');
</script>

<svelte:head><title>{t.views.school} · {texts.name}</title></svelte:head>

<Book {about}>
  {#snippet left()}
    <Views />
    {#if season && season.layouts.length > 1}
      <label class="pick"
        >{t.layout}
        <select
          class="select"
          value={String(season.layout ?? '')}
          onchange={(event) =>
            void goto(changed(page.url, { layout: event.currentTarget.value, since: null, with: null }))}
        >
          {#each season.layouts as one (one.id)}<option value={String(one.id)}>{one.name}</option>{/each}
        </select></label
      >
    {/if}
    {#if season?.drivers.length}
      <Exercise {season} {since} {who} />
    {/if}
    {#if season?.slow_ms && season.fast_ms}
      <p class="muted small">
        {t.kindsAre(
          `${figure(season.slow_ms, speed)} ${speed.label}`,
          `${figure(season.fast_ms, speed)} ${speed.label}`,
        )}
      </p>
    {/if}
  {/snippet}

  {#if found.error && !season}
    <Trouble error={found.error} again={() => void found.refetch()} />
  {:else if !season}
    <p class="muted" role="status">{texts.loading}</p>
  {:else if !season.drivers.length}
    <div class="empty">
      <p>{t.emptySchool}</p>
      <a class="do" href="/hand-in">{t.emptyNext}</a>
    </div>
  {:else}
    <Following follow={season.follow} />
    <Improving {season} />
    <div class="two">
      <Lying {season} />
      <Told
        title={t.daysTitle}
        lead={t.daysLead(share)}
        rows={season.days.map((day) => ({
          name: `${shortDay(day.day)}${day.grip === 'dry' ? '' : `, ${day.grip}`}`,
          more: day.name,
          href: `/debrief/day?event=${day.event}`,
          effect: day.effect,
          without: day.first ? t.firstDay : t.nobodyShared,
        }))}
      />
      {#if season.cars.length > 1}
        <Told
          title={t.carsTitle}
          lead={t.carsLead}
          rows={season.cars.map((car) => ({
            name: car.car ?? t.noCar,
            more: car.tyres ?? '',
            href: null,
            effect: car.effect,
            without: car.usual ? t.usual : t.nobodyBoth,
          }))}
        />
      {/if}
      <Working {season} />
    </div>
  {/if}
</Book>

<style>
  .pick {
    display: grid;
    gap: 3px;
    font-size: 13px;
    margin-bottom: 8px;
  }
  .small {
    font-size: 12.5px;
    margin-top: 16px;
  }
  .two {
    display: grid;
    grid-template-columns: repeat(auto-fit, minmax(min(380px, 100%), 1fr));
    gap: 8px 36px;
    align-items: start;
    padding-bottom: 24px;
  }
</style>
