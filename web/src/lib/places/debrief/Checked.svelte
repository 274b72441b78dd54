<!-- What became of the last debrief: each cue's figure before and after, and an honest answer. -->
<script lang="ts">
  import type { Cue, CueAnswered, Prepared } from '$lib/api/client';
  import { ofFigure, ofTime, sumOf, type Sum } from '$lib/places/debrief/arithmetic';
  import BeforeAfter from '$lib/places/debrief/BeforeAfter.svelte';
  import { say } from '$lib/quantities/said';
  import { figure, signed, unitOf, unitOfQuantity, type Unit } from '$lib/quantities/units';
  import { present } from '$lib/session/present.svelte';
  import { texts } from '$lib/words';

  let { data }: { data: Prepared } = $props();
  const t = texts.debrief;
  const time = $derived(unitOf('time', present.units));
  const plain = (unit: Unit): Unit => ({ ...unit, factor: 1, offset: 0 });

  /** The figure's sum, and that of the time in the passage where it is another. */
  function sums(answer: CueAnswered, cue: Cue): { name: string; sum: Sum; unit: Unit }[] {
    const unit = unitOfQuantity(cue.target.quantity, present.units);
    const figureSum = sumOf(ofFigure(answer), unit);
    const timeSum = cue.target.figure === 'passage_s' ? null : sumOf(ofTime(answer), time);
    return [
      ...(figureSum ? [{ name: cue.target.label, sum: figureSum, unit }] : []),
      ...(timeSum ? [{ name: t.sum.time, sum: timeSum, unit: time }] : []),
    ];
  }
</script>

<section aria-label={t.checkTitle('')}>
  <h2>{t.checkTitle('')}</h2>
  {#if data.apart}<p class="small hint">{t.differs(data.apart)}</p>{/if}
  {#each data.before?.cues ?? [] as cue (cue.id)}
    {@const answer = data.answers[String(cue.id)]}
    {#if answer}
      {@const rows = sums(answer, cue)}
      <article data-answer={answer.answer}>
        <div>
          <p class="verdict">
            <b class={answer.answer}>{t.answers[answer.answer]}</b>
            {#if answer.why}<span class="muted">{t.why[answer.why] ?? answer.why}</span>{/if}
          </p>
          <p class="words">{cue.text ?? say(cue.says, present.units)}</p>
        </div>
        {#if answer.before.length + answer.after.length > 0}
          <BeforeAfter {answer} target={cue.target} />
        {/if}
        {#if rows.length}
          <table class="sums">
            <thead>
              <tr>
                <td></td>
                <th scope="col">{t.before}</th>
                <th scope="col">{t.after}</th>
                <th scope="col">{t.sum.change}</th>
                <th scope="col" title={t.sum.luckMeans}>{t.sum.luck}</th>
                <th scope="col" title={t.sum.wholeMeans}>{t.sum.whole}</th>
                <th scope="col">{t.sum.left}</th>
              </tr>
            </thead>
            <tbody>
              {#each rows as { name, sum, unit: own } (name)}
                <tr>
                  <th scope="row">{name}{own.label ? `, ${own.label}` : ''}</th>
                  <td class="figure">{sum.before.toFixed(own.digits)}</td>
                  <td class="figure">{sum.after.toFixed(own.digits)}</td>
                  {#each [sum.change, sum.luck, sum.whole] as part, i (i)}
                    <td class="figure">{signed(part, plain(own))}</td>
                  {/each}
                  <td class="figure left">
                    <b>{signed(sum.left, plain(own))}</b>&nbsp;± {sum.within.toFixed(own.digits)}
                  </td>
                </tr>
              {/each}
            </tbody>
          </table>
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
  .small,
  .sums {
    font-size: 12.5px;
  }
  .sums {
    grid-column: 1 / -1;
    justify-self: start;
    margin-top: -6px;
    border-collapse: collapse;
  }
  .sums td,
  .sums th {
    padding: 1px 10px 1px 0;
    text-align: right;
    white-space: nowrap;
    font-weight: 440;
  }
  .sums thead th {
    color: var(--muted);
    font-size: 12px;
  }
  .sums tbody th {
    text-align: left;
    white-space: normal;
  }
  .sums b {
    font-weight: 660;
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
