<!-- A day from the first run to the last, driver by driver; what was asked, what became of it, and paper. -->
<script lang="ts">
  import { goto } from '$app/navigation';
  import { page } from '$app/state';
  import { createQuery, keepPreviousData } from '@tanstack/svelte-query';
  import { api, done, type Cue } from '$lib/api/client';
  import { keys } from '$lib/api/keys';
  import { driverColour } from '$lib/draw/colours';
  import { mode } from '$lib/draw/mode.svelte';
  import Book from '$lib/parts/Book.svelte';
  import Trouble from '$lib/parts/Trouble.svelte';
  import { changed, numberOf } from '$lib/places/season/address';
  import DayPapers from '$lib/places/season/DayPapers.svelte';
  import Following from '$lib/places/season/Following.svelte';
  import Views from '$lib/places/season/Views.svelte';
  import { day, shortDay } from '$lib/quantities/dates.svelte';
  import { say } from '$lib/quantities/said';
  import { figure, lapTime, unitOf } from '$lib/quantities/units';
  import { present } from '$lib/session/present.svelte';
  import { texts } from '$lib/words';

  const t = texts.season;
  const [COMING_MS, LOOK_MS] = [1_200, 20_000];
  const time = unitOf('time', 'metric');
  /** once it was reached it is told whether it stayed */
  const AFTER: string[] = ['kept', 'lost_again', 'came_back'];
  const event = $derived(numberOf(page.url, 'event'));
  const days = createQuery(() => ({
    queryKey: keys.paddock({ age: 0 }),
    queryFn: () => done(api.GET('/api/paddock', { params: { query: { age: 0 } } })),
    staleTime: 60_000,
  }));
  const found = createQuery(() => ({
    queryKey: keys.dayCourse(event),
    queryFn: () => done(api.GET('/api/season/day', { params: { query: { event: event ?? undefined } } })),
    placeholderData: keepPreviousData,
    refetchInterval: (query) => (query.state.data?.follow.state === 'coming' ? COMING_MS : LOOK_MS),
  }));
  const course = $derived(found.data);
  const about = $derived(
    course?.event ? `${course.event.circuit}. ${course.event.name}, ${day(course.event.day)}` : '',
  );
  const words = (cue: Cue): string => cue.text ?? say(cue.says, present.units);
</script>

<svelte:head><title>{t.views.day} · {texts.name}</title></svelte:head>

<Book {about}>
  {#snippet left()}
    <Views />
    {#if (days.data?.events.length ?? 0) > 1}
      <label class="pick"
        >{texts.debrief.day}
        <select
          class="select"
          value={String(course?.event?.id ?? '')}
          onchange={(picked) => void goto(changed(page.url, { event: picked.currentTarget.value }))}
        >
          {#each days.data?.events ?? [] as one (one.id)}
            <option value={String(one.id)}>{day(one.day)}, {one.name}</option>
          {/each}
        </select></label
      >
    {/if}
    {#if course?.event}<DayPapers {course} />{/if}
  {/snippet}

  {#if found.error && !course}
    <Trouble error={found.error} again={() => void found.refetch()} />
  {:else if !course}
    <p class="muted" role="status">{texts.loading}</p>
  {:else if !course.drivers.length}
    <div class="empty">
      <p>{course.event ? t.courseEmpty : t.calendarEmpty}</p>
      <a class="do" href="/hand-in">{t.emptyNext}</a>
    </div>
  {:else}
    <Following follow={course.follow} />
    {#each course.drivers as one (one.driver.id)}
      <section aria-label={one.driver.name}>
        <h2>
          <i style:background={driverColour(one.driver.colour, mode.dark)}></i><a
            href="/debrief/progress?driver={one.driver.id}">{one.driver.name}</a
          >
        </h2>
        <ol>
          {#each one.runs as run (run.run)}
            <li>
              <p class="run">
                <a href="/compare?run={run.run}">{t.courseRun(run.started_at?.slice(11, 16) ?? '')}</a>
                <span class="muted small">{t.courseLaps(run.laps)}</span>
              </p>
              <p class="times">
                <span class="figure">{lapTime(run.best_s)}</span>
                <span class="muted"
                  >{t.median} <span class="figure">{lapTime(run.median_s)}</span>, {t.spread}
                  <span class="figure">{figure(run.spread_s, time)}</span></span
                >
              </p>
              {#if run.checked.length}
                <h3>{t.courseChecked}</h3>
                <ul>
                  {#each run.checked as each (each.cue.id)}
                    <li>
                      <b
                        >{AFTER.includes(each.stage)
                          ? t.stage[each.stage]
                          : texts.debrief.answers[each.answer]}</b
                      >
                      <span class="muted">{words(each.cue)} ({t.askedOn(shortDay(each.asked_on))})</span>
                    </li>
                  {/each}
                </ul>
              {/if}
              {#if run.given.length}
                <h3>{t.courseGiven}</h3>
                <ul>
                  {#each run.given as cue (cue.id)}
                    <li><span class:muted={cue.kind === 'keep'}>{words(cue)}</span></li>
                  {/each}
                </ul>
              {/if}
            </li>
          {/each}
        </ol>
      </section>
    {/each}
  {/if}
</Book>

<style>
  .pick {
    display: grid;
    gap: 3px;
    font-size: 13px;
    margin-bottom: 12px;
  }
  section {
    border-top: 1px solid var(--rule);
    padding: 10px 0 12px;
  }
  h2 {
    font-size: 15px;
    font-weight: 640;
    overflow-wrap: anywhere;
  }
  h2 a {
    color: var(--ink);
  }
  i {
    display: inline-block;
    width: 10px;
    height: 10px;
    border-radius: 5px;
    margin-right: 7px;
  }
  ol {
    display: flex;
    gap: 24px;
    overflow-x: auto;
    padding-top: 4px;
  }
  ol > li {
    flex: 1 0 270px;
    max-width: 400px;
    min-width: 0;
    border-left: 3px solid var(--band);
    padding-left: 12px;
  }
  .run {
    font-weight: 560;
  }
  .times {
    font-size: 13px;
  }
  h3 {
    font-size: 12.5px;
    font-weight: 560;
    color: var(--muted);
    margin-top: 8px;
  }
  ul li {
    font-size: 13px;
    line-height: 1.35;
    padding: 1px 0;
    overflow-wrap: anywhere;
  }
  b {
    font-weight: 640;
  }
  .small {
    font-size: 12.5px;
    font-weight: 400;
  }
</style>
