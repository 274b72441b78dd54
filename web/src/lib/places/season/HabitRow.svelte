<!-- One habit along all runs: what the driver did, what was asked when, and what the reference does. -->
<script lang="ts">
  import CueLooks from '$lib/places/season/CueLooks.svelte';
  import { signOf, type Columns } from '$lib/places/season/columns';
  import { spanOf, type HabitOver } from '$lib/places/season/habits';
  import Sign from '$lib/places/season/Sign.svelte';
  import { shortDay } from '$lib/quantities/dates.svelte';
  import { figure, unitOfQuantity } from '$lib/quantities/units';
  import { present } from '$lib/session/present.svelte';
  import { texts } from '$lib/words';

  interface Props {
    habit: HabitOver;
    columns: Columns;
    open: boolean;
    ontoggle: () => void;
  }
  let { habit, columns, open, ontoggle }: Props = $props();

  const t = texts.season;
  const HEIGHT = 68;
  const EDGE = 10;
  const [newest] = $derived(habit.asked);
  const keep = $derived(newest?.cue.kind === 'keep');
  const unit = $derived(unitOfQuantity(newest?.cue.target.quantity ?? 'plain', present.units));
  const name = $derived(newest ? t.habit(newest.place, newest.cue.target.label, unit.label) : '');
  const span = $derived(spanOf(habit));
  const y = (value: number): number =>
    HEIGHT - EDGE - ((value - span[0]) / (span[1] - span[0])) * (HEIGHT - 2 * EDGE);
  /** Of the newest cue that looked at a run: whether it was there. */
  const looks = $derived(
    new Map(
      [...habit.asked].reverse().flatMap((over) => over.looks.map((look) => [look.run, look] as const)),
    ),
  );
  const dots = $derived(
    habit.runs
      .filter((one) => columns.at[one.run] !== undefined)
      .map((one) => ({ ...one, x: columns.at[one.run] ?? 0, look: looks.get(one.run) }))
      .map((dot) => ({ ...dot, sign: dot.look ? signOf(dot.look, keep) : ('open' as const) }))
      .sort((a, b) => a.x - b.x),
  );
  const path = $derived(dots.map((dot, i) => `${i ? 'L' : 'M'} ${dot.x} ${y(dot.value)}`).join(' '));
  /** Each target from the run it was asked after to the next one's, the last to the end. */
  const targets = $derived(
    [...habit.asked].reverse().flatMap((over, i, all) => {
      const from = columns.at[over.run];
      if (from === undefined) return [];
      const to = columns.at[all[i + 1]?.run ?? -1] ?? Math.max(dots.at(-1)?.x ?? from, from) + 12;
      return [{ over, from, to: Math.max(to, from + 12) }];
    }),
  );
  const reference = $derived(habit.asked.find((over) => over.cue.reference !== null)?.cue.reference ?? null);
  const asks = $derived(
    t.askedOf(
      [...habit.asked].reverse().map((over) => figure(over.cue.target.value, unit)),
      unit.label,
    ),
  );
  /** The picture in words. */
  const told = $derived(
    [
      ...[...habit.asked].reverse().map((over) => t.asked(shortDay(over.day))),
      ...dots.flatMap(({ look, value }) =>
        look
          ? [
              t.look(
                shortDay(look.day),
                look.answer === 'cannot_judge' ? (t.stage.cannot_judge ?? '') : (t.stage[look.stage] ?? ''),
                `${figure(value, unit)} ${unit.label}`,
              ),
            ]
          : [],
      ),
      ...(reference === null ? [] : [`${t.theReference} ${figure(reference, unit)} ${unit.label}`]),
    ].join('; '),
  );
</script>

{#if newest}
  <div class="row" class:open>
    <button type="button" class="words" aria-expanded={open} onclick={ontoggle} title={name}>
      <span>{name}</span>
      <small class="muted">{keep ? t.keptTimes(habit.asked.length) : asks}</small>
      <em class={newest.stage}>{t.stage[newest.stage]}{newest.held > 0 ? `, ${t.held(newest.held)}` : ''}</em>
    </button>
    <div class="plot">
      <svg
        width={columns.width}
        height={HEIGHT}
        viewBox="0 0 {columns.width} {HEIGHT}"
        role="img"
        aria-label="{name}: {told}"
      >
        {#each columns.breaks as each (each.x)}
          <line class="break" x1={each.x} x2={each.x} y1="0" y2={HEIGHT} />
        {/each}
        {#if reference !== null}
          <line class="reference" x1="0" x2={columns.width} y1={y(reference)} y2={y(reference)}
            ><title>{t.theReference} {figure(reference, unit)} {unit.label}</title></line
          >
        {/if}
        {#each targets as one (one.over.cue.id)}
          <line
            class="target"
            x1={one.from}
            x2={one.to}
            y1={y(one.over.cue.target.value)}
            y2={y(one.over.cue.target.value)}
          />
          <g
            ><title
              >{t.asked(shortDay(one.over.day))}: {figure(one.over.cue.target.value, unit)}
              {unit.label}</title
            ><Sign kind="asked" x={one.from} y={y(one.over.cue.target.value)} /></g
          >
        {/each}
        <path class="way" d={path} />
        {#each dots as dot (dot.run)}
          <g
            ><title
              >{dot.look ? `${shortDay(dot.look.day)}: ${t.stage[dot.look.stage] ?? ''}, ` : ''}{figure(
                dot.value,
                unit,
              )}
              {unit.label}</title
            >
            <Sign kind={dot.sign} x={dot.x} y={y(dot.value)} /></g
          >
        {/each}
      </svg>
    </div>
  </div>
  {#if open}
    <div class="looks">
      {#each habit.asked as over (over.cue.id)}<CueLooks {over} />{/each}
    </div>
  {/if}
{/if}

<style>
  .row {
    display: contents;
  }
  .words {
    position: sticky;
    left: 0;
    z-index: 1;
    background: var(--paper);
    text-align: left;
    display: grid;
    align-content: center;
    gap: 1px;
    padding: 3px 8px 3px 0;
    border-top: 1px solid var(--rule);
    font-size: 13px;
    line-height: 1.25;
    cursor: pointer;
    min-width: 0;
  }
  .words span {
    font-weight: 560;
  }
  .words span,
  .words small {
    overflow: hidden;
    text-overflow: ellipsis;
    white-space: nowrap;
  }
  .words small {
    font-size: 12px;
  }
  .words:hover span {
    text-decoration: underline;
  }
  .words em {
    font-style: normal;
    font-size: 12px;
    color: var(--muted);
  }
  .words em.lost_again {
    color: var(--loss-text);
    font-weight: 600;
  }
  .words em.kept,
  .words em.reached,
  .words em.came_back {
    color: var(--gain-text);
    font-weight: 600;
  }
  .plot {
    border-top: 1px solid var(--rule);
  }
  svg {
    display: block;
  }
  .break {
    stroke: var(--field);
    stroke-width: 1.2;
    stroke-dasharray: 2 3;
  }
  .reference {
    stroke: var(--band);
    stroke-width: 6;
  }
  .target {
    stroke: var(--brass);
    stroke-width: 2;
  }
  .way {
    fill: none;
    stroke: var(--field);
    stroke-width: 1.2;
  }
  .looks {
    grid-column: 1 / -1;
    padding: 2px 0 10px 14px;
    position: sticky;
    left: 0;
    max-width: 900px;
  }
</style>
