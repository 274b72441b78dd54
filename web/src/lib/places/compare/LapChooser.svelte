<!-- Which laps lie on the desk, and which of them the others are measured against. -->
<script lang="ts">
  import { createInfiniteQuery } from '@tanstack/svelte-query';
  import { SvelteSet } from 'svelte/reactivity';
  import { tick, untrack } from 'svelte';
  import { choicesOf } from '$lib/api/choices';
  import { MOST_LAPS, type Desk } from '$lib/desk/desk.svelte';
  import { fitting, ordered, stepped } from '$lib/desk/choosing';
  import { driverColour } from '$lib/draw/colours';
  import { mode } from '$lib/draw/mode.svelte';
  import { day } from '$lib/quantities/dates.svelte';
  import { texts } from '$lib/words';
  import { lapTime } from '$lib/quantities/units';
  import QuickFill from '$lib/places/compare/QuickFill.svelte';
  import Sheet from '$lib/parts/Sheet.svelte';
  import Trouble from '$lib/parts/Trouble.svelte';

  interface Props {
    desk: Desk;
    open: boolean;
    onlay: (laps: string[], reference: string) => void;
  }
  let { desk, open = $bindable(), onlay }: Props = $props();

  const t = texts.compare;
  const CELL = 152;
  const ticked = new SvelteSet<string>();
  let reference = $state('');
  let typed = $state('');
  let everywhere = $state(false);
  /** the lap that Tab leads to; arrows go on from there */
  let at = $state(0);
  let width = $state(0);
  let list = $state<HTMLElement>();

  const event = $derived(desk.lineUp?.event.id ?? 0);
  const pages = (everywhere: boolean) => ({ ...choicesOf(event, everywhere), enabled: open && event > 0 });
  const choices = createInfiniteQuery(() => pages(everywhere));
  /** Questions are about this day, whatever the list shows. */
  const today = createInfiniteQuery(() => pages(false));
  const runsOfToday = $derived(today.data?.pages.flatMap((page) => page.runs) ?? []);
  const runs = $derived(choices.data?.pages.flatMap((page) => page.runs) ?? []);
  const shown = $derived(fitting(runs, typed));
  const sizes = $derived(shown.map((run) => run.laps.length));
  const count = $derived(sizes.reduce((sum, size) => sum + size, 0));
  const columns = $derived(Math.max(1, Math.floor(width / CELL)));
  const chosen = $derived(ticked.size + (ticked.has(reference) ? 0 : 1));

  // Once when it opens: what is ticked stays while newer numbers of the desk arrive.
  $effect(() => {
    if (!open) return;
    untrack(() => {
      ticked.clear();
      for (const lap of desk.laps) ticked.add(lap.key);
      reference = desk.lineUp?.reference ?? '';
    });
  });
  $effect(() => {
    if (at >= count) at = Math.max(0, count - 1);
  });

  function toggle(key: string): void {
    if (key === reference) return;
    if (!ticked.delete(key)) ticked.add(key);
  }

  function measure(key: string): void {
    reference = key;
    ticked.add(key);
  }

  async function key(event: KeyboardEvent, index: number, lap: string): Promise<void> {
    if (event.key === 'v' || event.key === 'Enter') {
      event.preventDefault();
      if (event.key === 'v') measure(lap);
      else lay();
      return;
    }
    const to = stepped(event.key, index, sizes, columns);
    if (to === null) return;
    event.preventDefault();
    at = to;
    await tick();
    list?.querySelector<HTMLElement>(`[data-at="${to}"]`)?.focus();
  }

  function lay(event?: Event): void {
    event?.preventDefault();
    if (!reference || chosen > MOST_LAPS) return;
    const known = runs.flatMap((run) => run.laps.map((lap) => lap.key));
    const there = desk.laps.map((lap) => lap.key);
    onlay(ordered(there, known, ticked, reference), reference);
    open = false;
  }

  function filled(laps: string[], base: string): void {
    onlay(laps, base);
    open = false;
  }

  /** How many laps come before a run's. */
  const before = (index: number): number => sizes.slice(0, index).reduce((sum, size) => sum + size, 0);
</script>

<Sheet bind:open title={t.chooseLaps}>
  <form class="tools" onsubmit={lay}>
    <input
      class="input"
      type="search"
      placeholder={t.find}
      aria-label={t.find}
      title={t.findHint}
      bind:value={typed}
    />
    <label class="days">
      <input type="checkbox" bind:checked={everywhere} />
      {t.everywhere}
    </label>
    <QuickFill {event} runs={runsOfToday} onfill={filled} />
  </form>
  <p class="muted hint">{t.chooseLapsHint}</p>
  {#if choices.error}<Trouble error={choices.error} again={() => void choices.refetch()} />{/if}
  {#if !choices.isPending && !count}<p class="muted">{typed ? t.noneFits(typed) : t.noneThere}</p>{/if}
  <div bind:this={list} bind:clientWidth={width}>
    {#each shown as run, index (run.run)}
      <section aria-label={run.driver.name}>
        <h3>
          <span class="who" style:color={driverColour(run.driver.colour, mode.dark)}>{run.driver.name}</span>
          <span class="muted"
            >{everywhere ? `${day(run.day)} ` : ''}<span class="figure"
              >{run.started_at?.slice(11, 16) ?? ''}</span
            >{run.car ? `, ${run.car}` : ''}</span
          >
        </h3>
        <div class="laps" style:grid-template-columns="repeat({columns}, minmax(0, 1fr))">
          {#each run.laps as lap, place (lap.key)}
            {@const cell = before(index) + place}
            {@const measured = lap.key === reference}
            <div class="lap" class:aside={lap.set_aside}>
              <button
                type="button"
                class="take"
                role="checkbox"
                aria-checked={ticked.has(lap.key) || measured}
                aria-label="{t.take(t.lapOf(run.driver.name, lap.number))}, {lapTime(lap.time_s)}{measured
                  ? `, ${t.referenceLap}`
                  : ''}"
                tabindex={cell === at ? 0 : -1}
                data-at={cell}
                data-lap={lap.key}
                onfocus={() => (at = cell)}
                onclick={() => toggle(lap.key)}
                onkeydown={(event) => void key(event, cell, lap.key)}
              >
                <span class="box" aria-hidden="true">{ticked.has(lap.key) || measured ? '✓' : ''}</span>
                <span class="figure number">{lap.number}</span>
                <span class="figure" class:best-own={lap.key === run.best}>{lapTime(lap.time_s)}</span>
              </button>
              {#if measured}
                <span class="measure is">{t.reference}</span>
              {:else}
                <button
                  type="button"
                  class="measure"
                  tabindex="-1"
                  aria-label={t.makeReference(t.lapOf(run.driver.name, lap.number))}
                  title={t.measureAgainst}
                  onclick={() => measure(lap.key)}>{t.asReference}</button
                >
              {/if}
            </div>
          {/each}
        </div>
      </section>
    {/each}
  </div>
  {#if choices.hasNextPage}
    <button type="button" class="may" onclick={() => void choices.fetchNextPage()}>{t.moreRuns}</button>
  {/if}
  {#snippet footer()}
    <span class="grow" class:loss={chosen > MOST_LAPS} role="status"
      >{chosen > MOST_LAPS ? t.tooMany(MOST_LAPS) : t.onDesk(chosen)}</span
    >
    <button type="button" class="do" disabled={!reference || chosen > MOST_LAPS} onclick={() => lay()}
      >{t.done}</button
    >
  {/snippet}
</Sheet>

<style>
  .tools {
    position: sticky;
    top: 0;
    z-index: 1;
    display: flex;
    flex-wrap: wrap;
    gap: 8px 14px;
    align-items: center;
    padding: 2px 0 8px;
    background: var(--sheet);
  }
  .input {
    width: 250px;
    height: 32px;
    padding: 0 8px;
  }
  .days {
    display: flex;
    gap: 6px;
    align-items: center;
    cursor: pointer;
  }
  .hint {
    font-size: 12.5px;
  }
  section {
    margin-top: 12px;
  }
  h3 {
    display: flex;
    gap: 8px;
    align-items: baseline;
    font-size: 14px;
    margin-bottom: 2px;
  }
  .who {
    font-weight: 620;
    overflow: hidden;
    text-overflow: ellipsis;
    white-space: nowrap;
    min-width: 0;
  }
  h3 .muted {
    font-weight: 440;
    white-space: nowrap;
  }
  .laps {
    display: grid;
  }
  .lap {
    position: relative;
    display: flex;
    align-items: center;
    min-height: 28px;
    border-radius: 4px;
  }
  .lap:hover {
    background: var(--paper);
  }
  .take {
    display: flex;
    gap: 7px;
    align-items: center;
    min-height: 28px;
    padding: 0 4px;
    cursor: pointer;
  }
  .box {
    display: grid;
    place-items: center;
    width: 15px;
    height: 15px;
    border: 1px solid var(--muted);
    border-radius: 3px;
    font-size: 11px;
    line-height: 1;
  }
  [aria-checked='true'] .box {
    background: var(--accent);
    border-color: var(--accent);
    color: var(--on-accent);
  }
  .number {
    min-width: 1.6em;
    text-align: right;
    color: var(--muted);
  }
  .aside .take {
    color: var(--muted);
    font-style: italic;
  }
  .measure {
    padding: 1px 5px;
    font-size: 11px;
    color: var(--accent);
    background: var(--paper);
    border-radius: 3px;
    cursor: pointer;
    opacity: 0;
  }
  .measure.is {
    font-weight: 640;
    color: var(--ink);
    background: none;
    cursor: default;
    opacity: 1;
  }
  .lap:hover .measure,
  .lap:focus-within .measure,
  .measure:focus-visible {
    opacity: 1;
  }
  @media (hover: none) {
    .measure {
      opacity: 1;
    }
  }
  .grow {
    flex: 1;
  }
  .days input {
    accent-color: var(--accent);
    width: 15px;
    height: 15px;
  }
</style>
