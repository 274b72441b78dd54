<!-- The car watch: what was over a limit, what creeps towards one, and every figure by lap, over runs and days. -->
<script lang="ts">
  import { createQuery, keepPreviousData, useQueryClient } from '@tanstack/svelte-query';
  import { X } from '@lucide/svelte';
  import { api, done, type Excursion, type WatchLap } from '$lib/api/client';
  import { keys } from '$lib/api/keys';
  import { clockOf, deskAddress } from '$lib/laps/sheet';
  import { change, watchUnit } from '$lib/laps/watch';
  import { day as written } from '$lib/quantities/dates.svelte';
  import { figure, lapTime, unitOf } from '$lib/quantities/units';
  import { present } from '$lib/session/present.svelte';
  import { note, noteUndo } from '$lib/parts/notes.svelte';
  import { type TableColumn, type TableView } from '$lib/parts/table/columns';
  import DataTable from '$lib/parts/table/DataTable.svelte';
  import Trouble from '$lib/parts/Trouble.svelte';
  import CarSheet from '$lib/places/laps/CarSheet.svelte';
  import FigureLine from '$lib/places/laps/FigureLine.svelte';
  import { texts } from '$lib/words';

  interface Props {
    event: number;
    driver: number | null;
    /** "car:3", "driver:2", or the day */
    over: string;
    /** the figures by code, with commas; empty for the usual ones */
    figures: string;
    table: TableView;
    may: boolean;
    onchange: (to: { over?: string; figures?: string; table?: TableView }) => void;
  }
  let { event, driver, over, figures, table, may, onchange }: Props = $props();
  const t = texts.watch;
  const STATISTICS = ['low', 'p05', 'mean', 'p95', 'high'] as const;
  const client = useQueryClient();
  let lap = $state<string | null>(null);
  let sheetOf = $state<number | null>(null);
  let role = $state('');
  let statistic = $state<(typeof STATISTICS)[number]>('high');
  let trouble = $state<unknown>(null);
  /** a name for the figures on show, while it is typed */
  let naming = $state<string | null>(null);

  const asked = $derived.by(() => {
    const [what, id] = over.split(':');
    if (what === 'car' && id) return { car: Number(id) };
    if (what === 'driver' && id) return { driver: Number(id) };
    return { event };
  });
  const watch = createQuery(() => ({
    queryKey: keys.watch({ ...asked, figures }),
    queryFn: ({ signal }) =>
      done(
        api.GET('/api/watch', {
          params: { query: { ...asked, ...(figures ? { figures } : {}) } },
          signal,
        }),
      ),
    placeholderData: keepPreviousData,
    staleTime: 0,
  }));
  const data = $derived(watch.data);
  const shown = $derived(
    (data?.laps ?? []).filter((own) => driver === null || runOf(own)?.driver.id === driver),
  );
  const runOf = (own: { run: number | null }) => data?.runs.find((run) => run.id === own.run);
  const codes = $derived((data?.figures ?? []).map((own) => own.code));
  const drivers = $derived([
    ...new Map((data?.runs ?? []).map((run) => [run.driver.id, run.driver])).values(),
  ]);
  const unit = (quantity: string) => watchUnit(quantity, present.units);
  const metres = $derived(unitOf('distance', present.units));
  const runName = (own: { run: number | null }) => {
    const run = runOf(own);
    return run ? [run.driver.name, clockOf(run.started_at)].filter(Boolean).join(', ') : '';
  };

  const columns = $derived.by((): TableColumn<WatchLap>[] => [
    {
      id: 'driver',
      header: t.driver,
      value: (own) => runOf(own)?.driver.name ?? '',
      text: (own) => runOf(own)?.driver.name ?? '',
    },
    ...(over
      ? [
          {
            id: 'day',
            header: t.dayOf,
            value: (own: WatchLap) => runOf(own)?.day ?? '',
            text: (own: WatchLap) => written(runOf(own)?.day ?? ''),
          },
        ]
      : []),
    {
      id: 'run',
      header: t.run,
      value: (own) => runOf(own)?.started_at ?? '',
      text: (own) => clockOf(runOf(own)?.started_at ?? null),
    },
    {
      id: 'lap',
      header: t.lap,
      numeric: true,
      value: (own) => own.number,
      text: (own) => String(own.number),
      look: (own) => (own.set_aside ? 'aside' : ''),
    },
    {
      id: 'time',
      header: t.time,
      numeric: true,
      value: (own) => own.time_s,
      text: (own) => lapTime(own.time_s),
      look: (own) => (own.set_aside ? 'aside' : ''),
    },
    ...(data?.figures ?? []).map((own, k): TableColumn<WatchLap> => {
      const u = unit(own.quantity);
      return {
        id: own.code,
        header: own.driver ? own.label : `${own.label}, ${t.statistics[own.statistic]}`,
        unit: u.label,
        numeric: true,
        value: (row) => row.values[k] ?? null,
        text: (row) => figure(row.values[k], u),
        look: (row) => (row.set_aside ? 'aside' : ''),
      };
    }),
    ...((data?.excursions.length ?? 0)
      ? [
          {
            id: 'beyond',
            header: t.beyond,
            unit: 's',
            numeric: true,
            value: (own: WatchLap) => own.over_s,
            text: (own: WatchLap) => (own.over_s > 0 ? own.over_s.toFixed(2) : '–'),
          },
        ]
      : []),
  ]);

  function address(own: Excursion): string | null {
    const best = runOf(own)?.best_lap;
    if (!own.lap || own.from_m === null || own.to_m === null || !best) return null;
    const around = 60;
    return deskAddress([own.lap], best, {
      from_m: Math.max(0, own.from_m - around),
      to_m: Math.max(own.to_m, own.from_m) + around,
    });
  }

  function told(own: Excursion): string {
    const u = unit(own.quantity);
    const value = `${figure(own.extreme, u)} ${u.label}`;
    return t.event(own.label, value, `${figure(own.limit.value, u)} ${u.label}`);
  }

  function where(own: Excursion): string {
    const gear =
      own.gear_before === null || own.gear_after === null ? '' : t.gears(own.gear_before, own.gear_after);
    const at = own.at_m === null ? t.noPlace : t.at(`${figure(own.at_m, metres)} ${metres.label}`);
    return [t.for(own.duration_s.toFixed(2)), at, gear].filter(Boolean).join(', ');
  }

  const limitsOf = (roleOf: string): number[] => [
    ...new Set(
      (data?.cars ?? []).flatMap((car) =>
        (car.sheet.limits ?? []).filter((own) => own.role === roleOf).map((own) => own.value),
      ),
    ),
  ];

  async function keepSet(): Promise<void> {
    const name = naming?.trim();
    if (!name || !codes.length) return;
    try {
      await done(api.POST('/api/figure-sets', { body: { name, figures: codes } }));
      note(t.setKept(name));
      naming = null;
      await client.invalidateQueries({ queryKey: keys.anyLaps() });
    } catch (error) {
      trouble = error;
    }
  }

  const own = $derived(data?.sets.find((set) => set.figures.join(',') === codes.join(',')) ?? null);

  async function removeSet(): Promise<void> {
    if (!own) return;
    const { id, name, figures: kept } = own;
    try {
      await done(api.DELETE('/api/figure-sets/{figure_set_id}', { params: { path: { figure_set_id: id } } }));
      noteUndo(t.setGone(name), async () => {
        await done(api.POST('/api/figure-sets', { body: { name, figures: kept } }));
        await client.invalidateQueries({ queryKey: keys.anyLaps() });
      });
      await client.invalidateQueries({ queryKey: keys.anyLaps() });
    } catch (error) {
      trouble = error;
    }
  }
</script>

{#if watch.error}
  <Trouble error={watch.error} again={() => void watch.refetch()} />
{:else if !data}
  <p class="muted">{texts.loading}</p>
{:else}
  {#if trouble}<Trouble error={trouble} />{/if}
  <div class="bar">
    <label>
      <span class="muted">{t.over}</span>
      <select class="select" value={over} onchange={(e) => onchange({ over: e.currentTarget.value })}>
        <option value="">{t.thisDay}</option>
        {#each data.cars as car (car.id)}<option value="car:{car.id}">{car.name}</option>{/each}
        {#each drivers as who (who.id)}<option value="driver:{who.id}">{who.name}</option>{/each}
      </select>
    </label>
    {#each data.cars as car (car.id)}
      <button type="button" class="may" onclick={() => (sheetOf = car.id)}>{t.openSheet(car.name)}</button>
    {/each}
  </div>
  <div class="two">
    <section>
      <h2>{t.events}</h2>
      {#if data.excursions.length}
        <ul>
          {#each data.excursions as one, i (i)}
            {@const to = address(one)}
            <li>
              <b>{told(one)}</b>
              <span class="muted"
                >{runName(one)}{one.number === null ? '' : `, ${t.lap} ${one.number}`}: {where(one)}</span
              >
              {#if to}<a href={to}>{t.toDesk}</a>{/if}
            </li>
          {/each}
          {#if data.more_excursions}<li class="muted">{t.more(data.more_excursions)}</li>{/if}
        </ul>
      {:else}
        <p class="muted">
          {data.cars.some((car) => car.sheet.limits?.length) ? t.noEvents : t.noLimits}
        </p>
      {/if}
      {#if data.missing.length}<p class="muted">{t.notLogged} {data.missing.join(' ')}</p>{/if}
    </section>
    <section>
      <h2>{t.trends}</h2>
      {#if data.trends.length}
        <ul>
          {#each data.trends as one, i (i)}
            {@const u = unit(one.quantity)}
            {@const by = `${change(Math.abs(one.by), u)} ${u.label}`}
            {@const what = (one.by > 0 ? t.rises : t.falls)(one.label, by)}
            <li>
              <b>{one.run === null ? t.overDay(what) : what}</b>
              <span class="muted"
                >{t.within(change((one.by_high - one.by_low) / 2, u), one.over_s / 60)}{one.run === null
                  ? ''
                  : `; ${runName(one)}`}{runOf(one)?.ambient_k
                  ? `, ${t.ambient(`${figure(runOf(one)?.ambient_k, unit('temperature'))} ${unit('temperature').label}`)}`
                  : ''}</span
              >
              {#if one.left_s !== null}<strong>{t.left(one.left_s / 60)}</strong>{/if}
            </li>
          {/each}
        </ul>
      {:else}<p class="muted">{t.noTrends}</p>{/if}
    </section>
    <section>
      <h2>{t.growths}</h2>
      {#each drivers.filter((one) => driver === null || one.id === driver) as one (one.id)}
        {@const own = data.growths.filter((growth) => growth.driver.id === one.id)}
        {#if own.length}
          <p class="growth">
            <b>{one.name}</b>
            <span class="muted">{t.overLaps(Math.max(...own.map((growth) => growth.laps)))}:</span>
            {#each own as growth, k (growth.role)}
              {@const u = unit(growth.quantity)}
              {@const by = `${change(Math.abs(growth.by), u)} ${u.label} ± ${change((growth.by_high - growth.by_low) / 2, u)}`}
              <span class:muted={growth.verdict === 'level' || growth.verdict === 'unclear'}
                >{t.growth[growth.verdict](growth.label, by)}{k < own.length - 1 ? ', ' : ''}</span
              >
            {/each}
          </p>
        {/if}
      {/each}
      {#if !data.growths.length}<p class="muted">{t.noGrowths}</p>{/if}
    </section>
  </div>
  <div class="bar">
    {#if data.sets.length}
      <select
        class="select"
        aria-label={t.sets}
        value={own?.id ?? ''}
        onchange={(e) => {
          const set = data.sets.find((one) => String(one.id) === e.currentTarget.value);
          onchange({ figures: set ? set.figures.join(',') : '' });
        }}
      >
        <option value="">{t.figures}</option>
        {#each data.sets as set (set.id)}<option value={set.id}>{set.name}</option>{/each}
      </select>
    {/if}
    {#each data.figures as one (one.code)}
      <span class="chip"
        >{one.label}{one.driver ? '' : `, ${t.statistics[one.statistic]}`}<button
          type="button"
          aria-label={t.removeFigure(one.label)}
          onclick={() => onchange({ figures: codes.filter((code) => code !== one.code).join(',') || 'none' })}
          ><X size={12} /></button
        ></span
      >
    {/each}
    <select class="select" aria-label={t.addFigure} bind:value={role}>
      <option value="">{t.addFigure}</option>
      {#each [false, true] as part (part)}
        <optgroup label={part ? t.driversPart : t.carsPart}>
          {#each data.roles.filter((one) => one.driver === part) as one (one.role)}
            <option value={one.role}>{one.label}</option>
          {/each}
        </optgroup>
      {/each}
    </select>
    {#if role}
      <select class="select" aria-label={t.figures} bind:value={statistic}>
        {#each STATISTICS as one (one)}<option value={one}>{t.statistics[one]}</option>{/each}
      </select>
      <button
        type="button"
        class="may"
        onclick={() => {
          onchange({ figures: [...codes, `${role}:${statistic}`].join(',') });
          role = '';
        }}>{t.addFigure}</button
      >
    {/if}
    <span class="grow"></span>
    {#if may && own}
      <button type="button" class="may" onclick={() => void removeSet()}>{t.removeSet(own.name)}</button>
    {:else if may && codes.length && naming !== null}
      <form
        onsubmit={(press) => {
          press.preventDefault();
          void keepSet();
        }}
      >
        <input
          class="input"
          aria-label={t.setName}
          placeholder={t.setName}
          maxlength="60"
          bind:value={naming}
        />
        <button type="submit" class="may" disabled={!naming.trim()}>{t.keep}</button>
        <button type="button" class="may" onclick={() => (naming = null)}>{texts.circuit.discard}</button>
      </form>
    {:else if may && codes.length}
      <button type="button" class="may" onclick={() => (naming = '')}>{t.saveSet}</button>
    {/if}
  </div>
  {#if data.figures.length && shown.length}
    <div class="lines">
      {#each data.figures as one, k (one.code)}
        <FigureLine
          watch={{ ...data, laps: shown }}
          column={k}
          label={one.driver ? one.label : `${one.label}, ${t.statistics[one.statistic]}`}
          unit={unit(one.quantity)}
          limits={limitsOf(one.role)}
          present={lap}
          onlap={(key) => (lap = key)}
        />
      {/each}
    </div>
  {/if}
  <DataTable
    label={t.figuresOf}
    {columns}
    rows={shown}
    key={(row) => row.key}
    view={table}
    onview={(to) => onchange({ table: to })}
    empty={t.empty}
    height="360px"
  />
  {#if sheetOf !== null}
    {@const car = data.cars.find((one) => one.id === sheetOf)}
    {#if car}
      <CarSheet
        {car}
        roles={data.roles.filter((one) => !one.driver)}
        {may}
        onclose={() => (sheetOf = null)}
      />
    {/if}
  {/if}
{/if}

<style>
  .bar {
    display: flex;
    flex-wrap: wrap;
    gap: 6px 8px;
    align-items: center;
    font-size: 12px;
    margin: 6px 0;
  }
  .bar label {
    display: flex;
    gap: 6px;
    align-items: center;
  }
  .bar .select {
    width: auto;
    max-width: 190px;
    min-height: 28px;
    height: 28px;
    padding: 0 24px 0 8px;
    font-size: 12px;
  }
  .bar .may {
    min-height: 28px;
    padding: 0 8px;
    font-size: 12px;
  }
  .bar form {
    display: flex;
    gap: 6px;
  }
  .bar .input {
    min-height: 28px;
    padding: 2px 8px;
    font-size: 12px;
    width: 150px;
  }
  .grow {
    flex: 1;
  }
  .two {
    display: grid;
    grid-template-columns: 1fr 1fr;
    gap: 20px;
  }
  h2 {
    font-weight: 640;
    font-size: 14px;
  }
  section p {
    font-size: 12px;
  }
  ul {
    max-height: 132px;
    overflow: auto;
    font-size: 12px;
  }
  li {
    padding: 3px 0;
    border-bottom: 1px solid var(--rule);
  }
  li b {
    font-weight: 560;
    display: block;
  }
  li a {
    color: var(--accent);
    text-decoration: underline;
    margin-left: 6px;
  }
  li strong {
    display: block;
    font-weight: 620;
  }
  .chip {
    display: inline-flex;
    gap: 4px;
    align-items: center;
    border: 1px solid var(--rule);
    border-radius: 4px;
    padding: 2px 2px 2px 7px;
    background: var(--sheet);
  }
  .chip button {
    padding: 3px;
    cursor: pointer;
  }
  .lines {
    display: grid;
    grid-template-columns: repeat(auto-fill, minmax(200px, 1fr));
    gap: 8px 16px;
    margin: 4px 0 8px;
  }
  @media (max-width: 900px) {
    .two {
      grid-template-columns: 1fr;
    }
  }
</style>
