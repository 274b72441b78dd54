<!-- A stave with its name in the left margin and the values at the cursor, sorted, in the right one. -->
<script lang="ts">
  import { ChevronDown, ChevronRight, ChevronUp, X } from '@lucide/svelte';
  import type { DeskLap } from '$lib/api/client';
  import { needsNumber } from '$lib/desk/called';
  import type { Curve } from '$lib/desk/curves';
  import type { Desk } from '$lib/desk/desk.svelte';
  import { OWN } from '$lib/desk/desk.svelte';
  import { unique } from '$lib/desk/order';
  import { rolesOf } from '$lib/desk/place';
  import { texts } from '$lib/words';
  import { inkOf } from '$lib/draw/inks';
  import { rangeOf } from '$lib/draw/range';
  import { LOWEST, staveHeight, type Measures } from '$lib/score/measures';
  import { mode } from '$lib/draw/mode.svelte';
  import { readingsOf } from '$lib/score/readings';
  import Stave, { type Line } from '$lib/score/Stave.svelte';

  import { registry } from '$lib/quantities/registry.svelte';
  import type { Scale } from '$lib/draw/scale';

  interface Props {
    desk: Desk;
    /** a channel, or several that share the stave */
    stave: string;
    scale: Scale;
    bars: number[];
    moved: string | undefined;
    measures: Measures;
  }
  let { desk, stave, scale, bars, moved, measures }: Props = $props();

  interface Drawn extends Line {
    role: string;
    /** where heights compare only within one */
    run?: number | null;
  }

  const t = texts.compare;
  const WITHOUT = 'without';
  /** Samples that lie nearer to each other are no more than the line. */
  const DOTS_APART_PX = 5;
  /** Of channels that share a stave, all but the first are dashed. */
  const DASHES = [[], [5, 2], [1.5, 2], [7, 2, 1.5, 2]];
  const roles = $derived(rolesOf(stave));
  const role = $derived(roles[0] ?? '');
  const name = $derived(roles.map((item) => registry.label(item)).join(', '));
  const unit = $derived(registry.unit(role));
  const folded = $derived(desk.folded.includes(stave));
  const height = $derived(staveHeight(stave, desk.heights));
  const lines = $derived(roles.flatMap(linesOf));
  const narrow = $derived(measures.values < 60);
  const first = $derived(lines.filter((line) => line.role === role));
  const without = $derived(missing());
  const readings = $derived(
    folded || !desk.curves || (narrow && desk.cursor === null)
      ? []
      : readingsOf({
          s: desk.along?.grid ?? desk.curves.s,
          // Under the thumb there is room for two: the lap that is looked at, and the reference.
          lines: first.filter((line) => line.key !== WITHOUT && (!narrow || line.chosen || line.reference)),
          laps: desk.laps,
          numbered: needsNumber(desk.shown),
          cursor: stepOf(desk.cursor),
          until: stepOf(desk.until),
          end: scale.to,
          height,
          unit,
          signs: registry.isDifference(role),
          dark: mode.dark,
        }),
  );

  function linesOf(of: string, index: number): Drawn[] {
    const found: Drawn[] = [];
    const stepped = registry.stepped(of);
    const banded = bandsOf(of, index);
    for (const lap of desk.shown) {
      // The band stands for a driver's laps, but for the one that is looked at and the reference.
      const apart = [desk.chosen, desk.lineUp?.reference].includes(lap.key);
      const usual = !lap.made || lap.made.kind === 'median';
      if (!apart && usual && banded.some((line) => line.key === bandKey(lap))) continue;
      const values = desk.drawnCurve(lap.key, of);
      const ink = inkOf(lap, desk.nth(lap.key), mode.dark);
      const chosen = lap.key === desk.chosen;
      const reference = lap.key === desk.lineUp?.reference;
      const width = of === 'delta' && chosen ? desk.drawnDoubt(lap.key) : undefined;
      if (values)
        found.push({
          role: of,
          key: lap.key,
          values,
          colour: ink.colour,
          weight: ink.weight,
          dash: index ? (DASHES[index] ?? []) : reference ? [] : ink.dash,
          reference,
          chosen,
          width,
          stepped,
          range: [0, 1],
          run: lap.run,
          dots: dotsOf(lap, of),
        });
    }
    found.push(...banded);
    const chosen = found.find((line) => line.chosen);
    if (of === 'speed' && desk.rebuilt && chosen)
      found.push({
        ...chosen,
        key: WITHOUT,
        values: desk.along?.alongPlaces(desk.rebuilt) ?? desk.rebuilt,
        chosen: false,
        rebuilt: true,
        dash: [5, 3],
        weight: 1.4,
      });
    // Each channel has a scale of its own; the axis is the first one's. Where heights do not compare between runs each
    // run has its own, and the axis is the chosen lap's.
    const runs = registry.comparesHeights(of) ? [null] : unique(found.map((line) => line.run ?? null));
    for (const run of runs) {
      const own = found.filter((line) => run === null || line.run === run);
      const range = rangeOf(own, scale.from, scale.to, registry.fromZero(of));
      for (const line of own) line.range = range;
    }
    return found;
  }

  const bandKey = (lap: DeskLap): string => `band-${lap.driver?.id}`;

  /** What drivers usually do with a channel. */
  function bandsOf(of: string, index: number): Drawn[] {
    return desk.bandable.flatMap((lap) => {
      const band = desk.drawnBand(lap.driver?.id ?? 0, of);
      if (!band) return [];
      const ink = inkOf(lap, 0, mode.dark);
      return [
        {
          role: of,
          key: bandKey(lap),
          values: band.middle,
          between: [band.low, band.high] as [Curve, Curve],
          colour: ink.colour,
          weight: 1.6,
          dash: DASHES[index] ?? [],
          reference: false,
          chosen: lap.driver?.id === desk.chosenLap?.driver?.id && desk.chosenLap?.made !== null,
          stepped: registry.stepped(of),
          range: [0, 1] as [number, number],
          run: lap.run,
          called: { name: lap.driver?.name ?? '', nth: t.made.short.median },
        },
      ];
    });
  }

  /** The samples that a lap's logger wrote of a channel, where they lie far enough apart to be seen. */
  function dotsOf(lap: DeskLap, of: string): [number, number][] {
    const own = desk.samples.find((item) => item.lap === lap.curves && item.role === of);
    const { along } = desk;
    if (!own || !along || own.s_m.length < 2) return [];
    const time = desk.curve(lap.key, 'time');
    const steps = own.s_m.map((place) => along.toOfLap(place, time));
    const apart = (((steps.at(-1) ?? 0) - (steps[0] ?? 0)) / (steps.length - 1)) * scale.perStep;
    return apart < DOTS_APART_PX ? [] : steps.map((step, i) => [step, own.values[i] ?? NaN]);
  }

  function stepOf(place: number | null): number | null {
    return place === null ? null : (desk.along?.to(place) ?? place);
  }

  function missing(): string {
    const logged = roles.filter((item) => !OWN.includes(item));
    const lacking = desk.laps.filter((lap) => !logged.every((item) => lap.roles.includes(item)));
    return [...new Set(lacking.map((lap) => lap.driver?.name ?? t.made.everybody))].join(', ');
  }

  let from: { y: number; height: number } | null = null;
  const resize = (to: number): void => {
    desk.heights = { ...desk.heights, [stave]: Math.round(Math.min(Math.max(to, LOWEST), 600)) };
  };
</script>

<section class="stave" aria-label={name}>
  <div class="title" style:width="{measures.names}px">
    <span class="label" class:narrow={measures.names < 80}
      >{#each roles as item, i (item)}{#if i}<span class="also">{registry.label(item)}</span
          >{:else}{registry.label(item)}{/if}{/each}</span
    >
    <span class="unit muted">{unit.label}</span>
    <span class="tools">
      <button
        type="button"
        class="tool"
        title={folded ? t.unfold(name) : t.fold(name)}
        aria-label={folded ? t.unfold(name) : t.fold(name)}
        aria-expanded={!folded}
        onclick={() =>
          (desk.folded = folded ? desk.folded.filter((r) => r !== stave) : [...desk.folded, stave])}
      >
        {#if folded}<ChevronRight size={14} />{:else}<ChevronDown size={14} />{/if}
      </button>
      {#if desk.staves[0] !== stave}
        <button
          type="button"
          class="tool"
          title={t.staveUp(name)}
          aria-label={t.staveUp(name)}
          onclick={() => desk.moveStave(stave, -1)}><ChevronUp size={14} /></button
        >
      {/if}
      <button
        type="button"
        class="tool"
        title={t.removeStave(name)}
        aria-label={t.removeStave(name)}
        onclick={() => (desk.staves = desk.staves.filter((r) => r !== stave))}><X size={13} /></button
      >
    </span>
    {#if without && lines.length && measures.names > 80}<span class="note muted"
        >{t.notLogged(name, without)}</span
      >{/if}
    {#if registry.remark(role) && lines.length && measures.names > 80}<span class="note muted"
        >{registry.remark(role)}</span
      >{/if}
  </div>
  {#if folded}
    <div class="folded" style:width="{scale.width + measures.axis}px"></div>
  {:else if desk.curves && lines.length}
    <Stave
      s={desk.along?.grid ?? desk.curves.s}
      {lines}
      {scale}
      transform={moved}
      {bars}
      {unit}
      {height}
      range={(first.find((line) => line.chosen) ?? first[0])?.range}
      margin={measures.axis}
    />
    {#if !narrow || readings.length}
      <ul
        class:narrow
        class="readings"
        class:ends={desk.cursor === null}
        style:width="{measures.values - 8}px"
        style:height="{height}px"
      >
        {#each readings as reading (reading.key)}
          <li
            class:chosen={reading.chosen}
            style:color={reading.colour}
            style:top={reading.top === null ? undefined : `${reading.top}px`}
          >
            {#if reading.text}<span class="figure">{reading.text}</span>{/if}
            {#if reading.change && !narrow}<span class="figure change">{reading.change}</span>{/if}
            {#if !narrow}<span class="who">{reading.name}</span>{/if}{#if reading.nth && !narrow}<span
                class="nth">{reading.nth}</span
              >{/if}
          </li>
        {/each}
      </ul>
    {/if}
    <!-- svelte-ignore a11y_no_noninteractive_tabindex, a11y_no_noninteractive_element_interactions -->
    <div
      class="grip"
      role="separator"
      tabindex="0"
      aria-orientation="horizontal"
      aria-label={t.heightOf(name)}
      aria-valuenow={height}
      aria-valuemin={LOWEST}
      aria-valuemax={600}
      style:left="{measures.names}px"
      onpointerdown={(event) => {
        from = { y: event.clientY, height };
        (event.currentTarget as HTMLElement).setPointerCapture(event.pointerId);
      }}
      onpointermove={(event) => {
        if (from) resize(from.height + event.clientY - from.y);
      }}
      onpointerup={() => (from = null)}
      onpointercancel={() => (from = null)}
      onkeydown={(event) => {
        if (event.key !== 'ArrowUp' && event.key !== 'ArrowDown') return;
        event.preventDefault();
        resize(height + (event.key === 'ArrowDown' ? 10 : -10));
      }}
    ></div>
  {:else}
    <div class="folded muted" style:width="{scale.width + measures.axis}px">
      {desk.curves ? t.noChannel(name) : ''}
    </div>
  {/if}
</section>

<style>
  .stave {
    display: flex;
    position: relative;
    margin-top: 6px;
  }
  .title {
    flex: none;
    padding-top: 2px;
    line-height: 1.25;
    position: relative;
    z-index: 3;
  }
  .label {
    display: block;
    font-weight: 620;
    font-stretch: 92%;
    overflow-wrap: anywhere;
  }
  .label.narrow {
    font-size: 12px;
    font-stretch: 78%;
  }
  .also {
    display: block;
    font-weight: 440;
    font-size: 12px;
    border-left: 2px dashed currentcolor;
    padding-left: 4px;
    margin-left: 1px;
  }
  .unit {
    font-size: 12px;
  }
  .note {
    display: block;
    font-size: 11px;
    padding-right: 8px;
    overflow: hidden;
    max-height: 3.8em;
  }
  .tools {
    display: flex;
    gap: 2px;
    margin-top: 2px;
    opacity: 0;
  }
  .stave:hover .tools,
  .tools:focus-within {
    opacity: 1;
  }
  .tool {
    width: 24px;
    height: 24px;
    display: grid;
    place-items: center;
    border-radius: 4px;
    color: var(--muted);
    cursor: pointer;
  }
  .tool:hover {
    background: var(--strip);
    color: var(--ink);
  }
  .folded {
    height: 24px;
    border-bottom: 1px solid var(--rule);
    margin-left: 0;
    padding-left: 50px;
    font-size: 12px;
  }
  .readings {
    flex: none;
    margin-left: 8px;
    font-size: 11px;
    line-height: 14px;
    overflow: hidden;
    align-self: flex-start;
    position: relative;
  }
  .readings li {
    display: flex;
    gap: 5px;
    white-space: nowrap;
  }
  .narrow .figure {
    min-width: 0;
  }
  .ends li {
    position: absolute;
    left: 0;
    max-width: 100%;
  }
  .readings .figure {
    min-width: 4.4ch;
    text-align: right;
  }
  .readings .change {
    color: var(--muted);
    min-width: 4ch;
  }
  .readings .who {
    font-weight: 440;
    font-stretch: 80%;
  }
  .nth {
    flex: none;
    font-stretch: 75%;
  }
  .readings li.chosen .figure,
  .readings li.chosen .who {
    font-weight: 700;
  }
  .who {
    overflow: hidden;
    text-overflow: ellipsis;
  }
  .grip {
    position: absolute;
    bottom: -5px;
    right: 0;
    height: 7px;
    cursor: ns-resize;
    z-index: 3;
    touch-action: none;
  }
  .grip:hover,
  .grip:focus-visible {
    border-bottom: 2px solid var(--field);
    outline: none;
  }
</style>
