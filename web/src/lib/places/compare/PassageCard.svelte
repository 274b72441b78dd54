<!-- What the chosen driver does in a passage or stretch: one sentence, then the figures of every lap. -->
<script lang="ts">
  import type { Card, CardFigures, DeskLap } from '$lib/api/client';
  import type { Desk } from '$lib/desk/desk.svelte';
  import About from '$lib/parts/About.svelte';
  import { inferredOf } from '$lib/places/compare/inferred';
  import { called, inFull, needsNumber, passageCalled } from '$lib/desk/called';
  import { nameInk } from '$lib/draw/inks';
  import { mode } from '$lib/draw/mode.svelte';
  import { present } from '$lib/session/present.svelte';
  import Applications from '$lib/places/compare/Applications.svelte';
  import PriceBar from '$lib/places/compare/PriceBar.svelte';
  import { pieces } from '$lib/quantities/said';
  import { inWords } from '$lib/desk/differences';
  import { texts } from '$lib/words';
  import { figure, signed, unitOf } from '$lib/quantities/units';

  interface Props {
    desk: Desk;
    card: Card;
    /** what is won without the cause that is shown so in the score, s */
    won: number | null;
  }
  let { desk, card, won }: Props = $props();

  const t = texts.compare;
  const distance = $derived(unitOf('distance', present.units));
  const speed = $derived(unitOf('speed', present.units));
  const time = $derived(unitOf('time', present.units));
  const passage = $derived(desk.passages.find((p) => p.name === card.passage));
  const base = $derived(card.figures.find((row) => row.lap === desk.reference?.curves));
  const shared = $derived(needsNumber(desk.laps));
  const chosen = $derived(card.figures.find((row) => row.lap === desk.chosenLap?.curves));
  const isReference = $derived(desk.chosen === desk.lineUp?.reference);
  const words = $derived(pieces(chosen?.says ?? [], present.units));
  const habit = $derived(card.habits.find((item) => item.run === desk.chosenLap?.run));
  /** Whether it was the lap or the reference: the same lap beside other measures. */
  const standing = $derived.by(() => {
    if (!chosen || !desk.reference) return [];
    const reference = inFull(desk.reference);
    return [
      ...(isReference ? [] : [{ name: t.standing.reference(reference), gap: chosen.loss_s }]),
      ...(habit && habit.of > 1
        ? [{ name: t.standing.own(habit.best_lap), gap: chosen.loss_s - habit.best_loss_s }]
        : []),
      ...(card.median_loss_s !== null && card.of > 2
        ? [{ name: t.standing.all(card.of, card.of_conditions), gap: chosen.loss_s - card.median_loss_s }]
        : []),
    ];
  });

  const inferred = $derived(inferredOf(card.figures, desk.laps));

  /** Where a slower lap was quicker: there it has been shown that it can be done. */
  const shownHere = (lap: DeskLap, row: CardFigures): boolean =>
    lap.delta_s > 2 * lap.delta_u_s && row.loss_s < -2 * row.loss_u_s;

  function against(row: CardFigures, of: (row: CardFigures) => number | null): number | null {
    const own = of(row);
    const other = base ? of(base) : null;
    return own === null || other === null ? null : own - other;
  }
  // What else differs stands in the sentence itself, first.
  const days = $derived(desk.chosenLap?.differs.filter((one) => one.what === 'day') ?? []);
</script>

<!-- By how much further on something happens; what is inside the doubt of the positions is grey. -->
{#snippet place(gap: number | null, doubt: number | null)}
  {@const unsure = gap !== null && doubt !== null && Math.abs(gap) <= 2 * doubt}
  <td
    class="num figure"
    class:unsure
    title={doubt === null ? undefined : t.within(figure(2 * doubt, distance), distance.label)}
    >{signed(gap, distance)}</td
  >
{/snippet}

<section class="card" aria-label={passage ? passageCalled(passage) : t.stretch}>
  <h2>
    {passage ? passageCalled(passage) : t.stretch}
    <span class="muted"
      >{t.fromTo(figure(card.from_m, distance), figure(card.to_m, distance), distance.label)}</span
    >
  </h2>
  <p class="says">
    {#if isReference && desk.reference}{t.isReference(inFull(desk.reference))}{/if}
    {#each words as part, i (i)}{#if part.figure}<strong>{part.text}</strong>{:else}{part.text}{/if}{/each}
  </p>
  {#if desk.chosenLap && days.length}
    <p class="muted small">{t.besides(called(desk.chosenLap).name, inWords(days))}</p>
  {/if}
  <p class="muted small">{t.startsAgain} <About t={texts.doubt} /></p>
  {#if chosen && !chosen.whole}<p class="muted small">{t.cutAtLine}</p>{/if}
  {#each inferred as line (line)}<p class="muted small">{line}</p>{/each}
  {#if card.corners.length > 1}
    <p class="corners small" role="group" aria-label={t.corners}>
      <span class="muted">{t.corners}</span>
      {#each card.corners as name (name)}
        <button type="button" aria-pressed={name === card.corner} onclick={() => (desk.corner = name)}
          >{name}</button
        >
      {/each}
    </p>
  {/if}
  <table>
    <thead>
      <tr>
        <th>{t.columns.lap}</th>
        <th class="num">{t.columns.lost}</th>
        <th class="num">{t.columns.brakes}{distance.label}</th>
        <th class="num">{t.columns.slowest}{speed.label}</th>
        <th class="num">{t.columns.full}{distance.label}</th>
      </tr>
    </thead>
    <tbody>
      {#each desk.shown as lap (lap.key)}
        {@const row = card.figures.find((item) => item.lap === lap.curves)}
        {#if row}
          {@const isReference = lap.key === desk.lineUp?.reference}
          <tr
            class:chosen={lap.key === desk.chosen}
            data-lap={lap.key}
            onclick={() => (desk.chosen = lap.key)}
          >
            <th scope="row">
              <button type="button" style:color={isReference ? 'var(--muted)' : nameInk(lap, mode.dark)}
                ><span class="called">{called(lap).name}</span>{#if shared}&nbsp;{called(lap)
                    .nth}{/if}</button
              >
            </th>
            {#if isReference}
              <td class="num muted">{t.reference}</td>
              <td class="num figure">{figure(row.brake_point_m, distance)}</td>
              <td class="num figure">{figure(row.min_speed, speed)}</td>
              <td class="num figure">{figure(row.full_throttle_m, distance)}</td>
            {:else}
              <td
                class="num figure"
                data-figure="loss"
                class:loss={row.loss_s > 2 * row.loss_u_s}
                class:gain={row.loss_s < -2 * row.loss_u_s}
                title={shownHere(lap, row) ? t.depth.shown : undefined}
                >{shownHere(lap, row) ? '› ' : ''}{signed(row.loss_s, time)}</td
              >
              {@render place(
                against(row, (r) => r.brake_point_m),
                row.brake_point_u_m,
              )}
              <td class="num figure"
                >{signed(
                  against(row, (r) => r.min_speed),
                  speed,
                )}</td
              >
              {@render place(
                against(row, (r) => r.full_throttle_m),
                row.full_throttle_u_m,
              )}
            {/if}
          </tr>
        {/if}
      {/each}
    </tbody>
  </table>
  <!-- Below what is always there, so that nothing moves when another driver has more parts. -->
  {#if standing.length > 1}
    <ul class="standing">
      {#each standing as row (row.name)}
        <li><b class="figure">{signed(row.gap, time)}</b> {row.name}</li>
      {/each}
    </ul>
  {/if}
  {#if chosen && chosen.causes.length}
    <PriceBar row={chosen} shown={desk.without} {won} onpick={(cause) => desk.wonder(cause)} />
  {/if}
  {#if card.passage}<Applications {desk} {card} />{/if}
</section>

<style>
  h2 {
    font-size: 16px;
    font-weight: 640;
    line-height: 1.3;
  }
  h2 span {
    margin-left: 0.4em;
    font-weight: 440;
    font-size: 13px;
    white-space: nowrap;
  }
  .says {
    margin: 6px 0 10px;
    min-height: 80px;
  }
  .small {
    font-size: 12px;
  }
  .corners {
    display: flex;
    flex-wrap: wrap;
    align-items: center;
    gap: 4px;
    margin: 6px 0;
  }
  .corners button {
    min-width: 34px;
    padding: 2px 8px;
    border: 1px solid var(--rule);
    border-radius: 3px;
    cursor: pointer;
  }
  .corners button[aria-pressed='true'] {
    border-color: var(--ink);
    background: var(--sheet);
    font-weight: 640;
  }
  .unsure {
    color: var(--muted);
    font-style: italic;
  }
  .standing {
    list-style: none;
    margin: 10px 0 0;
    padding: 0;
    font-size: 13px;
    line-height: 1.5;
  }
  .standing b {
    font-weight: 600;
    display: inline-block;
    min-width: 46px;
  }
  table {
    width: 100%;
    border-collapse: collapse;
    font-stretch: 85%;
  }
  thead th {
    font-size: 11px;
    font-weight: 500;
    color: var(--muted);
    padding: 2px 0 4px 6px;
    border-bottom: 1px solid var(--rule);
    vertical-align: bottom;
  }
  th:first-child {
    text-align: left;
    padding-left: 0;
    max-width: 100px;
    overflow: hidden;
    text-overflow: ellipsis;
    white-space: nowrap;
  }
  tbody th button {
    font-weight: 560;
    cursor: pointer;
    display: flex;
    max-width: 100%;
  }
  /* A long name gives way, never the lap's number. */
  .called {
    overflow: hidden;
    text-overflow: ellipsis;
  }
  .chosen th button {
    font-weight: 720;
  }
  .num {
    text-align: right;
  }
  td {
    white-space: nowrap;
  }
  td,
  tbody th {
    border-bottom: 1px solid var(--rule);
    height: 27px;
    padding-left: 6px;
  }
  tbody tr {
    cursor: pointer;
  }
  tbody tr.chosen {
    background: var(--paper);
    box-shadow: inset 3px 0 0 var(--ink);
  }
  tbody tr.chosen th {
    padding-left: 8px;
  }
</style>
