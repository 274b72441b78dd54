<!-- What became of one cue in each run after it. -->
<script lang="ts">
  import type { CueOver } from '$lib/api/client';
  import { worthText } from '$lib/places/debrief/targets';
  import { shortDay } from '$lib/quantities/dates.svelte';
  import { say } from '$lib/quantities/said';
  import { figure, unitOfQuantity } from '$lib/quantities/units';
  import { present } from '$lib/session/present.svelte';
  import { texts } from '$lib/words';

  let { over }: { over: CueOver } = $props();

  const t = texts.season;
  const unit = $derived(unitOfQuantity(over.cue.target.quantity, present.units));
  const words = $derived(over.cue.text ?? say(over.cue.says, present.units));
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

<ol class="looks">
  <li class="whole">{words}</li>
  <li>
    {[t.asked(shortDay(over.day)), worthText(over.cue, present.units)].filter(Boolean).join(', ')}
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

<style>
  .looks {
    padding: 2px 0 6px;
    font-size: 13px;
    display: grid;
    gap: 3px;
  }
  .whole {
    font-weight: 560;
  }
  .looks b {
    font-weight: 600;
    margin: 0 6px;
  }
</style>
