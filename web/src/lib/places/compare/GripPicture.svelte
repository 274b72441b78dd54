<!-- Acceleration across over along the path, what every run reached, the share of it that laps use, and grip by corner. -->
<script lang="ts">
  import { createQuery, keepPreviousData } from '@tanstack/svelte-query';
  import { api, done, type DeskLap } from '$lib/api/client';
  import { keys } from '$lib/api/keys';
  import { called, inFull } from '$lib/desk/called';
  import type { Desk } from '$lib/desk/desk.svelte';
  import { unique } from '$lib/desk/order';
  import { nameInk } from '$lib/draw/inks';
  import { mode } from '$lib/draw/mode.svelte';
  import Plane from '$lib/draw/Plane.svelte';
  import type { Outline } from '$lib/draw/plane';
  import { cloudsOf, insideOf } from '$lib/places/compare/clouds.svelte';
  import Behind from '$lib/parts/Behind.svelte';
  import Trouble from '$lib/parts/Trouble.svelte';
  import { inWords } from '$lib/desk/differences';
  import { figure, unitOf } from '$lib/quantities/units';
  import { present } from '$lib/session/present.svelte';
  import { texts } from '$lib/words';

  let { desk }: { desk: Desk } = $props();

  const t = texts.compare.pictures.grip;
  const SIZE: [number, number] = [380, 360];
  const laps = $derived(
    desk.shown
      .map((lap) => lap.curves)
      .sort()
      .join(','),
  );
  const base = $derived(desk.reference?.curves ?? '');
  const part = $derived(desk.settled);
  const asked = createQuery(() => ({
    queryKey: keys.grip(`${laps} ${base}`, part),
    queryFn: ({ signal }) => {
      const stretch = part ? { from_m: part.from, to_m: part.to } : {};
      return done(api.GET('/api/grip', { params: { query: { laps, reference: base, ...stretch } }, signal }));
    },
    enabled: laps !== '' && base !== '',
    placeholderData: keepPreviousData,
  }));
  const drawn = cloudsOf(
    () => desk,
    () => ['aside', 'ahead'],
  );
  const g = $derived(unitOf('acceleration', present.units));
  const share = $derived(unitOf('share', present.units));
  /** The first lap on show of every run: it lends the run its ink and its name. */
  const first = $derived(
    unique(desk.shown.flatMap((lap) => lap.run ?? [])).flatMap(
      (run) => desk.shown.find((lap) => lap.run === run) ?? [],
    ),
  );
  const runOf = (lap: DeskLap) => asked.data?.runs.find((one) => one.run === lap.run);
  const outlines = $derived.by<Outline[]>(() =>
    first.flatMap((lap) => {
      const run = runOf(lap);
      if (!run) return [];
      const { direction, level } = run.envelope;
      const points = [...direction.keys(), 0].map((i): [number, number] => {
        const size = level[i] ?? NaN;
        return [size * Math.cos(direction[i] ?? 0), size * Math.sin(direction[i] ?? 0)];
      });
      const chosen = lap.run === desk.chosenLap?.run;
      return [{ key: lap.key, points, colour: nameInkOf(lap), weight: chosen ? 2.4 : 1.3 }];
    }),
  );
  const nameInkOf = (lap: DeskLap): string =>
    lap.key === desk.lineUp?.reference
      ? mode.inks.muted
      : lap.driver
        ? nameInk(lap, mode.dark)
        : mode.inks.ink;
  const most = $derived(
    Math.max(...(asked.data?.runs ?? []).flatMap((run) => run.corners.map((corner) => corner.level ?? 0)), 1),
  );
  /** Every third of 24 directions, said in words. */
  const named = (i: number): number => Math.round(i / 3) % 8;
</script>

{#if asked.error}<Trouble error={asked.error} again={() => void asked.refetch()} />{/if}
{#if drawn.query.error}<Trouble error={drawn.query.error} again={() => void drawn.query.refetch()} />{/if}
<div class="both">
  <div style:width="{SIZE[0]}px" style:height="{SIZE[1]}px">
    {#if drawn.s && drawn.clouds.length}
      <Plane
        s={drawn.s}
        clouds={drawn.clouds}
        {outlines}
        inside={insideOf(desk)}
        cursor={desk.cursor}
        units={[g, g]}
        labels={[`${t.across}, ${g.label}`, `${t.along}, ${g.label}`]}
        round
        width={SIZE[0]}
        height={SIZE[1]}
        label={t.label(drawn.clouds.length)}
        onplace={(place) => (desk.cursor = place)}
      />
    {:else}<p class="muted" role="status">{texts.loading}</p>{/if}
  </div>
  <div class="side">
    <h3>{t.used}</h3>
    <ul class="used">
      {#each desk.shown as lap (lap.key)}
        {@const one = asked.data?.laps.find((told) => told.lap === lap.curves)}
        <li class:chosen={lap.key === desk.chosen}>
          <button type="button" style:color={nameInkOf(lap)} onclick={() => (desk.chosen = lap.key)}
            >{called(lap).name}
            {called(lap).nth}
            <span class="figure">{figure(one?.used, share)}, {figure(one?.of_reference, share)}</span></button
          >
        </li>
      {/each}
    </ul>
    {#if asked.data}
      <div class="corners">
        <table>
          <caption>{t.corners}, {g.label} <span class="muted">{t.cornersHint}</span></caption>
          <thead>
            <tr>
              <th scope="col"></th>
              {#each first as lap (lap.key)}
                <th scope="col" style:color={nameInkOf(lap)}
                  >{called(lap).name}{#if lap.differs.length}<span class="muted other"
                      >{inWords(lap.differs)}</span
                    >{/if}</th
                >
              {/each}
            </tr>
          </thead>
          <tbody>
            {#each desk.lineUp?.layout.corners ?? [] as corner, i (corner.name)}
              <tr>
                <th scope="row"
                  ><button type="button" onclick={() => (desk.cursor = corner.apex_m)}>{corner.name}</button
                  ></th
                >
                {#each first as lap (lap.key)}
                  {@const one = runOf(lap)?.corners[i]}
                  <td
                    class="figure"
                    title={one?.level_u ? `± ${figure(2 * one.level_u, g)} ${g.label}` : undefined}
                    >{#if one && one.level !== null}<span
                        class="bar"
                        style:width="{(46 * one.level) / most}px"
                        style:background={nameInkOf(lap)}
                        aria-hidden="true"
                      ></span><span class:best-own={one.beside === 'more'} class:muted={one.beside === 'less'}
                        >{figure(one.level, g)}</span
                      >{/if}</td
                  >
                {/each}
              </tr>
            {/each}
          </tbody>
        </table>
        {#each first.filter((lap) => (runOf(lap)?.slowed ?? 0) > 0) as lap (lap.key)}
          <p>{inFull(lap)}: {t.less}</p>
        {/each}
      </div>
    {/if}
  </div>
</div>
<p class="legend muted">{t.envelope}</p>
{#if asked.data}
  <Behind label={texts.compare.pictures.table}>
    {#snippet head()}
      <tr>
        <th scope="col">{t.direction}</th>
        {#each first as lap (lap.key)}<th scope="col" class="num"
            >{called(lap).name}, {t.reached}, {g.label}</th
          >{/each}
      </tr>
    {/snippet}
    {#snippet rows()}
      {#each asked.data.runs[0]?.envelope.direction ?? [] as angle, i (i)}
        <tr>
          <th scope="row"
            ><span class="figure">{Math.round((angle * 180) / Math.PI)}°</span>
            {t.directions[named(i)]}</th
          >
          {#each first as lap (lap.key)}
            {@const level = runOf(lap)?.envelope.level[i] ?? null}
            {@const doubt = runOf(lap)?.envelope.level_u[i] ?? null}
            <td class="num figure"
              >{level === null ? '' : figure(level, g)}{doubt === null
                ? ''
                : ` ± ${figure(2 * doubt, g)}`}</td
            >
          {/each}
        </tr>
      {/each}
    {/snippet}
  </Behind>
{/if}

<style>
  .both {
    display: flex;
    flex-wrap: wrap;
    gap: 6px 20px;
    margin-top: 6px;
  }
  .side {
    flex: 1 1 400px;
    min-width: 0;
  }
  .side h3 {
    font-weight: 560;
    font-size: 12.5px;
    font-stretch: 88%;
  }
  .used {
    display: flex;
    flex-wrap: wrap;
    gap: 0 10px;
    margin-bottom: 8px;
    font-size: 12.5px;
    font-stretch: 88%;
  }
  .used li {
    padding: 0 4px;
    border-radius: 4px;
  }
  .used .figure {
    color: var(--ink);
  }
  li.chosen {
    background: var(--strip);
  }
  .corners {
    max-height: 268px;
    overflow: auto;
  }
  .side table {
    border-collapse: collapse;
    font-size: 12.5px;
    font-stretch: 88%;
  }
  .side caption {
    text-align: left;
    font-weight: 560;
    max-width: 340px;
    padding-bottom: 4px;
  }
  .side caption .muted {
    display: block;
    font-weight: 440;
    font-size: 11px;
  }
  .side :is(th, td) {
    padding: 2px 8px;
    border-bottom: 1px solid var(--rule);
    text-align: left;
    font-weight: 500;
    vertical-align: bottom;
  }
  .side button {
    min-height: 24px;
    min-width: 24px;
    text-align: left;
    cursor: pointer;
  }
  .other {
    display: block;
    max-width: 120px;
    font-weight: 440;
    font-size: 11px;
  }
  .bar {
    display: inline-block;
    height: 8px;
    margin-right: 6px;
    opacity: 0.75;
  }
  .legend {
    font-size: 12px;
  }
</style>
