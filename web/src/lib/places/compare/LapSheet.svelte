<!-- The whole lap in figures, shown while no stretch is marked: sector times of the laps on the desk. -->
<script lang="ts">
  import type { Desk } from '$lib/desk/desk.svelte';
  import BesideSheet from '$lib/places/compare/BesideSheet.svelte';
  import WhereToLook from '$lib/places/compare/WhereToLook.svelte';
  import About from '$lib/parts/About.svelte';
  import { called, inFull, needsNumber } from '$lib/desk/called';
  import { nameInk } from '$lib/draw/inks';
  import { mode } from '$lib/draw/mode.svelte';
  import { present } from '$lib/session/present.svelte';
  import { texts } from '$lib/words';
  import { figure, lapTime, unitOf } from '$lib/quantities/units';
  import { inWords } from '$lib/desk/differences';

  let { desk }: { desk: Desk } = $props();

  const t = texts.compare;
  let open = $state(false);
  let made = $state(false);
  $effect(() => {
    if (open) made = true;
  });
  const ends = $derived([0, ...(desk.lineUp?.layout.splits_m ?? []), desk.length]);
  const time = $derived(unitOf('time', present.units));
  const sectors = $derived((desk.lineUp?.layout.splits_m.length ?? 0) + 1);
  const best = $derived(
    Array.from({ length: sectors }, (_, i) =>
      // Nobody drove a made lap: the marks are the others'.
      Math.min(...desk.laps.map((lap) => (lap.made ? Infinity : (lap.sector_times_s[i] ?? Infinity)))),
    ),
  );
  const shared = $derived(needsNumber(desk.laps));
  const says = $derived.by(() => {
    const lap = desk.chosenLap;
    const reference = desk.reference;
    if (!lap || !reference) return '';
    if (lap.key === reference.key) return t.isReference(inFull(lap));
    const say = lap.delta_s >= 0 ? t.losesOverall : t.gainsOverall;
    const same = !reference.made && reference.driver?.id === lap.driver?.id;
    return say(
      inFull(lap),
      figure(Math.abs(lap.delta_s), time),
      figure(2 * lap.delta_u_s, time),
      same ? t.itsLap(reference.number ?? 0) : inFull(reference),
    );
  });
</script>

<section>
  <h2>{t.wholeLap}</h2>
  <p class="says">{says}</p>
  {#if desk.chosen !== desk.lineUp?.reference}<p class="hint"><About t={texts.doubt} /></p>{/if}
  <table>
    <thead>
      <tr>
        <th>{t.columns.lap}</th>
        {#each best.keys() as i (i)}<th class="num"
            ><button
              type="button"
              class="sector"
              title={t.typed.sector(i + 1)}
              onclick={() => desk.mark(ends[i] ?? 0, ends[i + 1] ?? desk.length)}>{t.sector(i + 1)}</button
            ></th
          >{/each}
        <th class="num">{t.lapTime}</th>
      </tr>
    </thead>
    <tbody>
      {#each desk.shown as lap (lap.key)}
        {@const who = called(lap)}
        <tr class:chosen={lap.key === desk.chosen} onclick={() => (desk.chosen = lap.key)}>
          <th
            scope="row"
            style:color={lap.key === desk.lineUp?.reference ? 'var(--muted)' : nameInk(lap, mode.dark)}
            ><span class="who"
              ><span class="called">{who.name}</span>{#if shared}&nbsp;{who.nth}{/if}</span
            >{#if lap.differs.length}<span class="other" title={inWords(lap.differs)}
                >{inWords(lap.differs)}</span
              >{/if}</th
          >
          {#each lap.sector_times_s as sector, i (i)}
            <td class="num figure"
              ><span class:best-all={!lap.made && sector === best[i]}>{sector.toFixed(2)}</span></td
            >
          {/each}
          <td class="num figure"><span class:best-all={lap.best_of_all}>{lapTime(lap.time_s)}</span></td>
        </tr>
      {/each}
    </tbody>
  </table>
  {#if desk.chosen !== desk.lineUp?.reference}
    <button type="button" class="may beside" onclick={() => (open = true)}>{t.beside.open}</button>
  {/if}
  <WhereToLook {desk} />
  <p class="muted hint">{t.chooseStretch}</p>
  {#if made}<BesideSheet {desk} bind:open />{/if}
</section>

<style>
  h2 {
    font-size: 16px;
    font-weight: 640;
  }
  .says {
    margin: 4px 0 8px;
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
    border-bottom: 1px solid var(--rule);
    padding-bottom: 3px;
  }
  th:first-child {
    text-align: left;
    font-weight: 560;
    max-width: 96px;
    overflow: hidden;
    text-overflow: ellipsis;
    white-space: nowrap;
  }
  /* A long name gives way, never the lap's number. */
  .who {
    display: flex;
  }
  .called,
  .other {
    display: block;
    overflow: hidden;
    text-overflow: ellipsis;
    white-space: nowrap;
  }
  .other {
    font-weight: 440;
    font-size: 11px;
    color: var(--muted);
  }
  .chosen th:first-child {
    font-weight: 720;
    padding-left: 8px;
  }
  td,
  tbody th {
    border-bottom: 1px solid var(--rule);
    height: 27px;
  }
  tbody tr {
    cursor: pointer;
  }
  tbody tr.chosen {
    background: var(--paper);
    box-shadow: inset 3px 0 0 var(--ink);
  }
  .num {
    text-align: right;
    padding-left: 6px;
  }
  .sector {
    cursor: pointer;
    color: inherit;
  }
  .sector:hover {
    text-decoration: underline;
  }
  .beside {
    min-height: 28px;
    margin-top: 8px;
    padding: 0.1rem 0.6rem;
    font-size: 13px;
  }
  .hint {
    font-size: 12.5px;
    margin: 6px 0 10px;
  }
</style>
