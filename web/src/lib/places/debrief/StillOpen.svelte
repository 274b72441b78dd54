<!-- What was asked on earlier days and is not there: the next debrief begins from it. -->
<script lang="ts">
  import { createQuery } from '@tanstack/svelte-query';
  import { api, done, type CueIn, type Prepared } from '$lib/api/client';
  import { keys } from '$lib/api/keys';
  import { shortDay } from '$lib/quantities/dates.svelte';
  import { say } from '$lib/quantities/said';
  import { present } from '$lib/session/present.svelte';
  import { texts } from '$lib/words';

  interface Props {
    data: Prepared;
    leads: boolean;
    onask: (body: Omit<CueIn, 'run'>) => void;
  }
  let { data, leads, onask }: Props = $props();

  const t = texts.debrief;
  const [MOST, SHOWN] = [40, 4];
  const found = createQuery(() => ({
    queryKey: keys.driverSeason(data.driver.id, null, MOST),
    queryFn: () =>
      done(
        api.GET('/api/season/drivers/{driver_id}', {
          params: { path: { driver_id: data.driver.id }, query: { cues: MOST } },
        }),
      ),
    staleTime: 15_000,
  }));
  /** the latest of each figure at a place, which neither the last debrief nor this one asks for */
  const open = $derived.by(() => {
    const seen: string[] = [data.before, data.debrief].flatMap(
      (one) => one?.cues.map((cue) => `${cue.passage} ${cue.target.figure}`) ?? [],
    );
    // What was asked on another circuit is no matter here.
    const here = (found.data?.runs ?? []).map((one) => one.run);
    if (!here.includes(data.run)) return [];
    return (found.data?.cues ?? []).filter((over) => {
      const name = `${over.cue.passage} ${over.cue.target.figure}`;
      const later = over.debrief === data.before?.id || over.debrief === data.debrief?.id;
      if (
        over.cue.kind !== 'cue' ||
        later ||
        !here.includes(over.run) ||
        over.day > data.event.day ||
        seen.includes(name)
      )
        return false;
      seen.push(name);
      return over.stage === 'open' || over.stage === 'lost_again';
    });
  });
</script>

{#if open.length}
  <section aria-label={t.stillOpen}>
    <h2>{t.stillOpen}</h2>
    <ul>
      {#each open.slice(0, SHOWN) as over (over.cue.id)}
        <li>
          <span class="words"
            ><b>{texts.season.stage[over.stage]}</b>
            {over.cue.text ?? say(over.cue.says, present.units)}
            <span class="muted">{texts.season.askedOn(shortDay(over.day))}</span></span
          >
          {#if leads}
            <button
              type="button"
              class="may"
              onclick={() =>
                onask({
                  kind: 'cue',
                  passage: over.cue.passage,
                  corner: over.cue.corner,
                  figure: over.cue.target.figure,
                  direction: over.cue.target.direction,
                })}>{t.askAgain}</button
            >
          {/if}
        </li>
      {/each}
    </ul>
    <a class="small" href="/debrief/progress?driver={data.driver.id}">{t.allOverDays}</a>
  </section>
{/if}

<style>
  h2 {
    font-size: 15px;
    font-weight: 640;
    margin: 12px 0 4px;
  }
  li {
    display: flex;
    gap: 12px;
    align-items: center;
    justify-content: space-between;
    border-top: 1px solid var(--rule);
    padding: 6px 0;
    font-size: 13.5px;
  }
  .words {
    min-width: 0;
    overflow-wrap: anywhere;
  }
  .may {
    flex: none;
  }
  b {
    font-weight: 640;
  }
  .small {
    font-size: 13px;
  }
</style>
