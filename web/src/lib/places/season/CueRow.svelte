<!-- One cue along the runs: where it was asked, where it was there, lost, or could not be judged. -->
<script lang="ts">
  import type { CueOver } from '$lib/api/client';
  import Sign from '$lib/places/season/Sign.svelte';
  import { signOf, type Columns } from '$lib/places/season/columns';
  import { shortDay } from '$lib/quantities/dates.svelte';
  import { say } from '$lib/quantities/said';
  import { figure, unitOfQuantity } from '$lib/quantities/units';
  import { present } from '$lib/session/present.svelte';
  import { texts } from '$lib/words';

  interface Props {
    over: CueOver;
    columns: Columns;
    open: boolean;
    ontoggle: () => void;
  }
  let { over, columns, open, ontoggle }: Props = $props();

  const t = texts.season;
  const HEIGHT = 40;
  const keep = $derived(over.cue.kind === 'keep');
  const unit = $derived(unitOfQuantity(over.cue.target.quantity, present.units));
  const words = $derived(over.cue.text ?? say(over.cue.says, present.units));
  const asked = $derived(columns.at[over.run]);
  const looks = $derived(
    over.looks
      .filter((look) => columns.at[look.run] !== undefined)
      .map((look) => ({ ...look, x: columns.at[look.run] ?? 0, sign: signOf(look, keep) })),
  );
  const told = (look: CueOver['looks'][number]): string =>
    t.look(
      shortDay(look.day),
      look.answer === 'cannot_judge' ? (t.stage.cannot_judge ?? '') : (t.stage[look.stage] ?? look.stage),
      look.before === null || look.after === null
        ? ''
        : t.lookChange(figure(look.before, unit), figure(look.after, unit), unit.label),
    );
  /** What the laps say of it, so that it agrees with the stage. */
  const says = (look: CueOver['looks'][number]): string => {
    if (look.answer === 'cannot_judge') return why(look);
    const answer = texts.debrief.answers[look.answer] ?? '';
    if (look.slipped === null) return answer === t.stage[look.stage] ? '' : answer;
    return look.slipped ? t.goneAgain : t.stillThere;
  };
  const why = (look: CueOver['looks'][number]): string =>
    look.why ? (texts.debrief.why[look.why] ?? look.why) : '';
</script>

<div class="row" class:open>
  <button type="button" class="words" aria-expanded={open} onclick={ontoggle} title={words}>
    <span>{words}</span>
    <em class={over.stage}>{t.stage[over.stage]}{over.held > 0 ? `, ${t.held(over.held)}` : ''}</em>
  </button>
  <div class="plot">
    <svg
      width={columns.width}
      height={HEIGHT}
      viewBox="0 0 {columns.width} {HEIGHT}"
      role="img"
      aria-label={[t.asked(shortDay(over.day)), ...over.looks.map(told)].join('; ')}
    >
      {#each columns.breaks as each (each.x)}
        <line class="break" x1={each.x} x2={each.x} y1="0" y2={HEIGHT} />
      {/each}
      {#if asked !== undefined}
        <line class="way" x1={asked} x2={looks.at(-1)?.x ?? asked} y1={HEIGHT / 2} y2={HEIGHT / 2} />
        <g><title>{t.asked(shortDay(over.day))}</title><Sign kind="asked" x={asked} y={HEIGHT / 2} /></g>
      {/if}
      {#each looks as look, i (look.run)}
        {@const before = looks[i - 1]}
        {#if look.sign === 'there' && before?.sign === 'there'}
          <line class="held" x1={before.x} x2={look.x} y1={HEIGHT / 2} y2={HEIGHT / 2} />
        {/if}
      {/each}
      {#each looks as look (look.run)}
        <g>
          <title>{told(look)}{why(look) ? `: ${why(look)}` : ''}</title>
          <Sign kind={look.sign} x={look.x} y={HEIGHT / 2} />
          <rect class="hit" x={look.x - columns.step / 2} y="0" width={columns.step} height={HEIGHT} />
        </g>
      {/each}
    </svg>
  </div>
</div>
{#if open}
  <ol class="looks">
    <li class="whole">{words}</li>
    <li>
      {t.asked(shortDay(over.day))}{over.cue.worth_s
        ? `, ${texts.debrief.worth(figure(over.cue.worth_s, unitOfQuantity('time', present.units)))}`
        : ''}
    </li>
    {#each over.looks as look (look.run)}
      <li>
        <a href="/compare?run={look.run}">{shortDay(look.day)}</a>
        <b>{look.answer === 'cannot_judge' ? t.stage.cannot_judge : t.stage[look.stage]}</b>
        <span class="muted"
          >{says(look)}{#if look.before !== null && look.after !== null}; {over.cue.target.label}: {t.lookChange(
              figure(look.before, unit),
              figure(look.after, unit),
              unit.label,
            )}{/if}</span
        >
      </li>
    {/each}
  </ol>
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
    overflow: hidden;
    text-overflow: ellipsis;
    white-space: nowrap;
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
  .way {
    stroke: var(--field);
    stroke-width: 1.2;
  }
  .held {
    stroke: var(--ink);
    stroke-width: 3;
  }
  .hit {
    fill: transparent;
  }
  .looks {
    grid-column: 1 / -1;
    padding: 2px 0 10px 14px;
    font-size: 13px;
    display: grid;
    gap: 3px;
    position: sticky;
    left: 0;
    max-width: 900px;
  }
  .whole {
    font-weight: 560;
  }
  .looks b {
    font-weight: 600;
    margin: 0 6px;
  }
</style>
