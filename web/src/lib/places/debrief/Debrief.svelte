<!-- The place where debriefs are prepared; for a driver what was given to them. -->
<script lang="ts">
  import { goto } from '$app/navigation';
  import { page } from '$app/state';
  import { createQuery, keepPreviousData } from '@tanstack/svelte-query';
  import { SvelteURLSearchParams } from 'svelte/reactivity';
  import { api, done } from '$lib/api/client';
  import { keys } from '$lib/api/keys';
  import Book from '$lib/parts/Book.svelte';
  import Trouble from '$lib/parts/Trouble.svelte';
  import DriverList from '$lib/places/debrief/DriverList.svelte';
  import Views from '$lib/places/season/Views.svelte';
  import OwnDebriefs from '$lib/places/debrief/OwnDebriefs.svelte';
  import Prepare from '$lib/places/debrief/Prepare.svelte';
  import { day } from '$lib/quantities/dates.svelte';
  import { present } from '$lib/session/present.svelte';
  import { chosen } from '$lib/session/chosen.svelte';
  import { texts } from '$lib/words';

  const t = texts.debrief;
  const COMING_MS = 1_500;
  const LOOK_MS = 15_000;
  const drives = $derived(present.me?.role === 'driver');
  const event = $derived(Number(page.url.searchParams.get('event')) || null);
  const asked = $derived(Number(page.url.searchParams.get('run')) || null);
  const days = createQuery(() => ({
    queryKey: keys.paddock({ age: 0 }),
    queryFn: () => done(api.GET('/api/paddock', { params: { query: { age: 0 } } })),
    enabled: !drives,
    staleTime: 60_000,
  }));
  const list = createQuery(() => ({
    queryKey: keys.debriefs(event),
    queryFn: () => done(api.GET('/api/debriefs', { params: { query: { event: event ?? undefined } } })),
    enabled: !drives,
    placeholderData: keepPreviousData,
    refetchInterval: (query) => (query.state.data?.state === 'coming' ? COMING_MS : LOOK_MS),
  }));
  const drivers = $derived(list.data?.drivers ?? []);
  // The driver who was looked at last, on whatever day.
  const run = $derived(
    asked ?? (drivers.find((one) => one.driver.id === chosen.driver) ?? drivers[0])?.run ?? null,
  );
  $effect(() => {
    const own = drivers.find((one) => one.run === asked);
    if (own) chosen.take({ driver: own.driver.id });
  });
  const about = $derived(
    list.data?.event
      ? `${list.data.event.circuit}. ${list.data.event.name}, ${day(list.data.event.day)}`
      : '',
  );

  $effect(() => {
    if (list.data?.event) chosen.take({ event: list.data.event.id, layout: list.data.event.layout });
  });
  function address(change: Record<string, number | null>): string {
    const query = new SvelteURLSearchParams(page.url.searchParams);
    for (const [name, value] of Object.entries(change)) {
      if (value === null) query.delete(name);
      else query.set(name, String(value));
    }
    const text = query.toString();
    return text ? `/debrief?${text}` : '/debrief';
  }
</script>

<svelte:head><title>{t.title} · {texts.name}</title></svelte:head>

<Book {about}>
  {#snippet left()}
    <Views />
    {#if !drives}
      {#if (days.data?.events.length ?? 0) > 1}
        <label class="day"
          >{t.day}
          <select
            class="select"
            value={String(list.data?.event?.id ?? '')}
            onchange={(changed) =>
              void goto(address({ event: Number(changed.currentTarget.value), run: null }))}
          >
            {#each days.data?.events ?? [] as one (one.id)}
              <option value={String(one.id)}>{day(one.day)}, {one.name}</option>
            {/each}
          </select></label
        >
      {/if}
      <DriverList day={list.data} {run} to={(chosen) => address({ run: chosen })} />
    {/if}
  {/snippet}

  {#if drives}
    <OwnDebriefs />
  {:else if list.error && !list.data}
    <Trouble error={list.error} again={() => void list.refetch()} />
  {:else if !list.data}
    <p class="muted" role="status">{texts.loading}</p>
  {:else if run === null}
    <div class="empty">
      <p>{t.empty}</p>
      <a class="do" href="/hand-in">{t.emptyNext}</a>
    </div>
  {:else}
    {#key run}<Prepare {run} to={(chosen) => address({ run: chosen })} />{/key}
  {/if}
</Book>

<style>
  .day {
    display: grid;
    gap: 4px;
    margin: 10px 0 12px;
    font-size: 13px;
  }
</style>
