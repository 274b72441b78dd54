<!-- A finding with its evidence, as the lines were driven, and what can be asked for by it. -->
<script lang="ts">
  import { Plus } from '@lucide/svelte';
  import type { Cue, CueIn, Finding, Prepared } from '$lib/api/client';
  import { NOWHERE, writePlace } from '$lib/desk/place';
  import PassagePicture from '$lib/places/debrief/PassagePicture.svelte';
  import { worthText } from '$lib/places/debrief/targets';
  import { pieces, say } from '$lib/quantities/said';
  import { figure, signed, unitOf } from '$lib/quantities/units';
  import { present } from '$lib/session/present.svelte';
  import { texts } from '$lib/words';

  interface Props {
    finding: Finding;
    data: Prepared;
    leads: boolean;
    taken: Cue[];
    onask: (body: Omit<CueIn, 'run'>) => void;
  }
  let { finding, data, leads, taken, onask }: Props = $props();

  const t = texts.debrief;
  const time = $derived(unitOf('time', present.units));
  let choice = $state(0);
  const offer = $derived(finding.proposals[choice] ?? finding.proposals[0]);
  const name = $derived(finding.corner ?? finding.passage ?? '');
  const asked = $derived(
    taken.some(
      (cue) =>
        cue.kind === 'cue' && cue.passage === finding.passage && cue.target.figure === offer?.target.figure,
    ),
  );
  const desk = $derived.by(() => {
    const laps = [...new Set([data.reference ?? '', data.best ?? '', finding.best_lap])].filter(Boolean);
    const reference = data.reference ?? finding.best_lap;
    return `/compare?${writePlace({ ...NOWHERE, laps, reference, chosen: data.best, passage: finding.passage })}`;
  });
</script>

<article class:forward={finding.put_forward}>
  <div class="line">
    <b class="lost figure loss"
      >{signed(finding.loss_s, time)}<small>&nbsp;± {figure(2 * finding.loss_u_s, time)}</small></b
    >
    <p class="says">
      {#each pieces(finding.says, present.units) as part, i (i)}{#if part.figure}<strong>{part.text}</strong
          >{:else}{part.text}{/if}{/each}
    </p>
  </div>
  {#if finding.felt}
    <p class="small felt">
      {finding.felt === 'good' ? t.disagrees : finding.felt === 'lost' ? t.agrees : t.felt[finding.felt]}
    </p>
  {/if}
  {#if finding.passage}
    <div class="pictures">
      <PassagePicture
        run={data.run}
        passage={finding.passage}
        corner={finding.corner}
        {name}
        shows={data.pictures}
        of="map"
      />
      <PassagePicture
        run={data.run}
        passage={finding.passage}
        corner={finding.corner}
        {name}
        shows={data.pictures}
        of="curves"
        code={offer?.target.figure ?? null}
      />
    </div>
  {/if}
  <div class="foot">
    <span class="muted small"
      >{t.seen(finding.seen, finding.of)}, {t.best(signed(finding.best_loss_s, time))}</span
    >
    <a class="small" href={desk}>{t.openDesk}</a>
  </div>
  {#if leads && offer && finding.passage}
    <div class="offer">
      <p>
        {say(offer.says, present.units)}
        {#if worthText(offer, present.units)}<span class="muted">{worthText(offer, present.units)}</span>{/if}
      </p>
      <div class="row">
        {#if finding.proposals.length > 1}
          <label class="small"
            >{t.askBy}
            <select class="select" aria-label="{t.byWhat}: {name}" bind:value={choice}>
              {#each finding.proposals as one, i (one.target.figure)}
                <option value={i}>{one.target.label}</option>
              {/each}
            </select></label
          >
        {/if}
        <button
          type="button"
          class="do"
          disabled={asked}
          onclick={() =>
            onask({
              kind: 'cue',
              passage: finding.passage,
              corner: finding.corner,
              figure: offer.target.figure,
              direction: offer.target.direction,
            })}><Plus size={15} aria-hidden="true" />{asked ? t.askedAlready : t.asCue}</button
        >
      </div>
    </div>
  {/if}
</article>

<style>
  article {
    background: var(--sheet);
    border-radius: 5px;
    padding: 10px 12px;
    margin-bottom: 10px;
    border: 1px solid var(--rule);
  }
  .line {
    display: flex;
    gap: 12px;
    align-items: baseline;
  }
  .lost {
    font-weight: 600;
    white-space: nowrap;
    min-width: 104px;
  }
  .lost small {
    font-weight: 400;
    color: var(--muted);
  }
  .says {
    overflow-wrap: anywhere;
  }
  .says strong {
    font-weight: 600;
  }
  .small {
    font-size: 12.5px;
  }
  .felt {
    border-left: 3px solid var(--brass);
    padding-left: 8px;
    margin: 4px 0;
  }
  .pictures {
    display: grid;
    grid-template-columns: repeat(auto-fit, minmax(220px, 1fr));
    gap: 8px;
    margin: 8px 0 4px;
    align-items: start;
  }
  .foot {
    display: flex;
    justify-content: space-between;
    gap: 12px;
  }
  .offer {
    border-top: 1px solid var(--rule);
    margin-top: 8px;
    padding-top: 8px;
    display: grid;
    gap: 6px;
  }
  .offer p {
    font-weight: 560;
    overflow-wrap: anywhere;
  }
  .row {
    display: flex;
    flex-wrap: wrap;
    gap: 8px 12px;
    align-items: center;
    justify-content: flex-end;
  }
  .row label {
    display: inline-flex;
    gap: 6px;
    align-items: center;
    margin-right: auto;
  }
  .row .select {
    width: auto;
    max-width: 220px;
    padding: 0 26px 0 8px;
    font-size: 13px;
  }
</style>
