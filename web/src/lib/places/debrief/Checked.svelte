<!-- What became of the last debrief: each cue's figure before and after, and an honest answer. -->
<script lang="ts">
  import type { Prepared } from '$lib/api/client';
  import BeforeAfter from '$lib/places/debrief/BeforeAfter.svelte';
  import { say } from '$lib/quantities/said';
  import { figure, signed, unitOf, unitOfQuantity } from '$lib/quantities/units';
  import { present } from '$lib/session/present.svelte';
  import { texts } from '$lib/words';

  let { data }: { data: Prepared } = $props();
  const t = texts.debrief;
  const time = $derived(unitOf('time', present.units));
</script>

<section aria-label={t.checkTitle('')}>
  <h2>{t.checkTitle('')}</h2>
  {#if data.apart}<p class="small hint">{t.differs(data.apart)}</p>{/if}
  {#each data.before?.cues ?? [] as cue (cue.id)}
    {@const answer = data.answers[String(cue.id)]}
    {@const unit = unitOfQuantity(cue.target.quantity, present.units)}
    {#if answer}
      <article data-answer={answer.answer}>
        <div>
          <p class="verdict">
            <b class={answer.answer}>{t.answers[answer.answer]}</b>
            {#if answer.why}<span class="muted">{t.why[answer.why] ?? answer.why}</span>{/if}
          </p>
          <p class="words">{cue.text ?? say(cue.says, present.units)}</p>
          {#if answer.change !== null && answer.low !== null && answer.high !== null}
            <p class="small">
              {cue.target.label}: {t.change(
                signed(answer.change, { ...unit, offset: 0 }),
                signed(answer.low, { ...unit, offset: 0 }),
                signed(answer.high, { ...unit, offset: 0 }),
                unit.label,
              )}
            </p>
            {#if cue.target.figure !== 'passage_s' && answer.time_change_s !== null}
              <p class="small">
                {t.timeChange(
                  figure(answer.time_before_s, time),
                  figure(answer.time_after_s, time),
                  signed(answer.time_change_s, time),
                  signed(answer.time_low_s, time),
                  signed(answer.time_high_s, time),
                )}
              </p>
            {/if}
            {@const luck = signed(answer.luck, { ...unit, offset: 0 })}
            {@const whole = signed(answer.whole, { ...unit, offset: 0 })}
            {#if Number(luck.replace('−', '-')) !== 0 || Number(whole.replace('−', '-')) !== 0}
              <p class="small muted">{t.corrected(luck, whole, unit.label)}</p>
            {/if}
          {/if}
        </div>
        {#if answer.before.length + answer.after.length > 0}
          <BeforeAfter {answer} target={cue.target} />
        {/if}
      </article>
    {/if}
  {/each}
  {#each data.elsewhere as one (one.passage)}
    <p class="small hint">{t.elsewhere(one.place, figure(one.change_s, time))}</p>
  {/each}
</section>

<style>
  h2 {
    font-size: 15px;
    font-weight: 640;
    margin: 4px 0 4px;
  }
  article {
    display: grid;
    grid-template-columns: minmax(0, 1fr) 200px;
    gap: 12px;
    align-items: center;
    padding: 8px 0;
    border-top: 1px solid var(--rule);
  }
  .verdict {
    display: flex;
    flex-wrap: wrap;
    gap: 0 10px;
    align-items: baseline;
  }
  .verdict b {
    font-weight: 660;
  }
  /* Losing and gaining only: what is not decided has no colour. */
  .reached_paid,
  .kept {
    color: var(--gain-text);
  }
  .worse,
  .lost {
    color: var(--loss-text);
  }
  .words {
    overflow-wrap: anywhere;
  }
  .small {
    font-size: 12.5px;
  }
  .hint {
    border-left: 3px solid var(--brass);
    padding-left: 8px;
    margin: 4px 0;
  }
  @media (max-width: 700px) {
    article {
      grid-template-columns: minmax(0, 1fr);
    }
  }
</style>
