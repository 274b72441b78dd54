<!-- A stave with its name in the left margin and the values at the cursor, sorted, in the right one. -->
<script lang="ts">
  import { ChevronDown, ChevronRight, ChevronUp, X } from '@lucide/svelte';
  import { needsNumber } from '$lib/desk/called';
  import type { Desk } from '$lib/desk/desk.svelte';
  import { OWN } from '$lib/desk/desk.svelte';
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

  const t = texts.compare;
  const WITHOUT = 'without';
  /** Of channels that share a stave, all but the first are dashed. */
  const DASHES = [[], [5, 2], [1.5, 2], [7, 2, 1.5, 2]];
  const roles = $derived(rolesOf(stave));
  const role = $derived(roles[0] ?? '');
  const name = $derived(roles.map((item) => registry.label(item)).join(', '));
  const unit = $derived(registry.unit(role));
  const folded = $derived(desk.folded.includes(stave));
  const height = $derived(staveHeight(stave, desk.heights));
  const lines = $derived(roles.flatMap(linesOf));
  const first = $derived(lines.filter((line) => line.role === role));
  const without = $derived(missing());
  const readings = $derived(
    folded || !desk.curves || measures.values < 60
      ? []
      : readingsOf({
          s: desk.curves.s,
          lines: first.filter((line) => line.key !== WITHOUT),
          laps: desk.laps,
          numbered: needsNumber(desk.shown),
          cursor: desk.cursor,
          until: desk.until,
          end: scale.to,
          height,
          unit,
          signs: registry.isDifference(role),
          dark: mode.dark,
        }),
  );

  function linesOf(of: string, index: number): (Line & { role: string })[] {
    const found: (Line & { role: string })[] = [];
    const stepped = registry.stepped(of);
    for (const lap of desk.shown) {
      const values = desk.curve(lap.key, of);
      const ink = inkOf(lap, desk.nth(lap.key), mode.dark);
      const chosen = lap.key === desk.chosen;
      const reference = lap.key === desk.lineUp?.reference;
      const width = of === 'delta' && chosen ? twice(desk.deltaDoubt(lap.key)) : undefined;
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
        });
    }
    const chosen = found.find((line) => line.chosen);
    if (of === 'speed' && desk.rebuilt && chosen)
      found.push({
        ...chosen,
        key: WITHOUT,
        values: desk.rebuilt,
        chosen: false,
        rebuilt: true,
        dash: [5, 3],
        weight: 1.4,
      });
    // Each channel has a scale of its own; the axis is the first one's.
    const range = rangeOf(found, scale.from, scale.to, registry.fromZero(of));
    for (const line of found) line.range = range;
    return found;
  }

  /** ± in all our texts is two standard deviations. */
  const twice = (u: Float32Array | undefined) => u?.map((value) => 2 * value);

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
      s={desk.curves.s}
      {lines}
      {scale}
      transform={moved}
      {bars}
      {unit}
      {height}
      range={first[0]?.range}
      margin={measures.axis}
    />
    {#if measures.values >= 60}
      <ul
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
            {#if reading.change}<span class="figure change">{reading.change}</span>{/if}
            <span class="who">{reading.name}</span>{#if reading.nth}<span class="nth">{reading.nth}</span
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
