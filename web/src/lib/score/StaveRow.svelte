<!-- A stave with its name in the left margin and the values at the cursor, sorted, in the right one. -->
<script lang="ts">
  import { ChevronDown, ChevronRight, X } from '@lucide/svelte';
  import { valueAt } from '$lib/desk/curves';
  import type { Desk } from '$lib/desk/desk.svelte';
  import { texts } from '$lib/words';
  import { figure, signed } from '$lib/quantities/units';
  import { driverColour } from '$lib/draw/colours';
  import { AXIS, NAMES, staveHeight, VALUES } from '$lib/score/measures';
  import { mode } from '$lib/draw/mode.svelte';
  import Stave, { type Line } from '$lib/score/Stave.svelte';

  import { registry } from '$lib/quantities/registry.svelte';
  import type { Scale } from '$lib/draw/scale';

  interface Props {
    desk: Desk;
    role: string;
    scale: Scale;
    bars: number[];
    moved: string | undefined;
    /** keys of further laps of drivers who are on the desk already */
    secondLaps: string[];
  }
  let { desk, role, scale, bars, moved, secondLaps }: Props = $props();

  const t = texts.compare;
  const WITHOUT = 'without';
  const name = $derived(registry.label(role));
  const unit = $derived(registry.unit(role));
  const folded = $derived(desk.folded.includes(role));
  const lines = $derived(linesOf());
  const without = $derived(missing());
  /** how many values fit beside the stave; the chosen lap's and the reference's are never the ones left out */
  const fits = $derived(Math.floor(staveHeight(role) / 14));

  function linesOf(): Line[] {
    const lines: Line[] = [];
    for (const lap of desk.laps) {
      const values = desk.curve(lap.key, role);
      if (values)
        lines.push({
          key: lap.key,
          values,
          colour: driverColour(lap.driver.colour, mode.dark),
          reference: lap.key === desk.lineUp?.reference,
          chosen: lap.key === desk.chosen,
          second: secondLaps.includes(lap.key),
          width: role === 'delta' && lap.key === desk.chosen ? twice(desk.deltaDoubt(lap.key)) : undefined,
        });
    }
    const chosen = lines.find((line) => line.chosen);
    if (role === 'speed' && desk.rebuilt && chosen)
      lines.push({
        ...chosen,
        key: WITHOUT,
        values: desk.rebuilt,
        chosen: false,
        second: false,
        dashed: true,
      });
    return lines;
  }

  /** ± in all our texts is two standard deviations. */
  const twice = (u: Float32Array | undefined) => u?.map((value) => 2 * value);

  function missing(): string {
    const without = desk.laps.filter((lap) => role !== 'delta' && !lap.roles.includes(role));
    return [...new Set(without.map((lap) => lap.driver.name))].join(', ');
  }

  interface Reading {
    key: string;
    name: string;
    colour: string;
    value: number;
    text: string;
    chosen: boolean;
    reference: boolean;
  }

  /** Values at the cursor, highest first (of the delta: slowest first). */
  function readings(): Reading[] {
    const place = desk.cursor;
    if (place === null || !desk.curves) return [];
    const { s } = desk.curves;
    return lines
      .filter((line) => line.key !== WITHOUT)
      .map((line) => {
        const lap = desk.laps.find((item) => item.key === line.key);
        const value = valueAt(s, line.values, place);
        return {
          key: line.key,
          name: lap ? lap.driver.name + (secondLaps.length ? ` ${lap.number}` : '') : '',
          colour: line.reference ? 'var(--muted)' : line.colour,
          value,
          text: role === 'delta' ? signed(value, unit) : figure(value, unit),
          chosen: line.chosen,
          reference: line.reference,
        };
      })
      .sort((a, b) => b.value - a.value)
      .filter(
        (reading, i, all) => i < fits - (all.length > fits ? 2 : 0) || reading.chosen || reading.reference,
      );
  }
</script>

<section class="stave" aria-label={name}>
  <div class="title" style:width="{NAMES}px">
    <span class="label">{name}</span>
    <span class="unit muted">{unit.label}</span>
    <span class="tools">
      <button
        type="button"
        class="tool"
        title={folded ? t.unfold(name) : t.fold(name)}
        aria-label={folded ? t.unfold(name) : t.fold(name)}
        onclick={() =>
          (desk.folded = folded ? desk.folded.filter((r) => r !== role) : [...desk.folded, role])}
      >
        {#if folded}<ChevronRight size={14} />{:else}<ChevronDown size={14} />{/if}
      </button>
      {#if role !== 'delta'}
        <button
          type="button"
          class="tool"
          title={t.removeStave(name)}
          aria-label={t.removeStave(name)}
          onclick={() => (desk.staves = desk.staves.filter((r) => r !== role))}><X size={13} /></button
        >
      {/if}
    </span>
    {#if without && lines.length}<span class="note muted">{t.missing(name, without)}</span>{/if}
  </div>
  {#if folded}
    <div class="folded" style:width="{scale.width + AXIS}px"></div>
  {:else if desk.curves && lines.length}
    <Stave
      s={desk.curves.s}
      {lines}
      {scale}
      transform={moved}
      {bars}
      {unit}
      height={staveHeight(role)}
      zero={registry.fromZero(role)}
      stepped={registry.stepped(role)}
      margin={AXIS}
    />
    <ul class="readings" style:width="{VALUES - 8}px" style:max-height="{staveHeight(role)}px">
      {#each readings() as reading (reading.key)}
        <li class:chosen={reading.chosen} style:color={reading.colour}>
          <span class="figure">{reading.text}</span><span class="who">{reading.name}</span>
        </li>
      {/each}
    </ul>
  {:else}
    <div class="folded muted" style:width="{scale.width + AXIS}px">
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
  }
  .label {
    display: block;
    font-weight: 620;
    font-stretch: 92%;
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
  }
  .readings li {
    display: flex;
    gap: 5px;
    white-space: nowrap;
  }
  .readings .figure {
    min-width: 4.4ch;
    text-align: right;
  }
  .readings .who {
    font-weight: 440;
    font-stretch: 80%;
  }
  .readings li.chosen .figure,
  .readings li.chosen .who {
    font-weight: 700;
  }
  .who {
    overflow: hidden;
    text-overflow: ellipsis;
  }
</style>
