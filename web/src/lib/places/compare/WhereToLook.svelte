<!-- Stretches that the data proposes for the chosen lap, and a stretch that is typed or is a sector. -->
<script lang="ts">
  import { createQuery } from '@tanstack/svelte-query';
  import { api, done } from '$lib/api/client';
  import { keys } from '$lib/api/keys';
  import { passageCalled } from '$lib/desk/called';
  import type { Desk } from '$lib/desk/desk.svelte';
  import { figure, signed, typedIn, unitOf } from '$lib/quantities/units';
  import { present } from '$lib/session/present.svelte';
  import { texts } from '$lib/words';

  let { desk }: { desk: Desk } = $props();

  const t = texts.compare;
  const distance = $derived(unitOf('distance', present.units));
  const time = $derived(unitOf('time', present.units));
  const own = $derived(desk.chosenLap?.curves ?? '');
  const base = $derived(desk.reference?.curves ?? '');
  const found = createQuery(() => ({
    queryKey: keys.stretches(present.build, own, base),
    queryFn: ({ signal }) =>
      done(api.GET('/api/stretches', { params: { query: { laps: own, reference: base } }, signal })),
    enabled: own !== '' && base !== '' && own !== base,
    staleTime: Infinity,
    gcTime: 60_000,
  }));
  const list = $derived(own === base ? [] : (found.data?.stretches ?? []));

  let from = $state('');
  let to = $state('');
  const typed = $derived({ from: typedIn(from, distance), to: typedIn(to, distance) });
  const fits = $derived(
    typed.from !== null &&
      typed.to !== null &&
      typed.from >= 0 &&
      typed.to - typed.from >= 5 &&
      typed.to <= desk.length + 1,
  );

  function mark(event: Event): void {
    event.preventDefault();
    if (fits) desk.mark(typed.from ?? 0, typed.to ?? 0);
  }
</script>

{#if own !== base && found.data}
  <section aria-label={t.proposed.title}>
    <h3>{t.proposed.title}</h3>
    {#if !list.length}<p class="muted small">{t.proposed.none}</p>{/if}
    <ul>
      {#each list as stretch (stretch.from_m)}
        <li>
          <button type="button" class="pick" onclick={() => desk.mark(stretch.from_m, stretch.to_m)}>
            <b class="figure" class:loss={stretch.loss_s > 0} class:gain={stretch.loss_s < 0}
              >{signed(stretch.loss_s, time)}</b
            >
            <span
              >{t.proposed.at(
                stretch.corners.length ? passageCalled({ name: '', corners: stretch.corners }) : '',
                figure(stretch.from_m, distance),
                figure(stretch.to_m, distance),
                distance.label,
              )}</span
            >
          </button>
        </li>
      {/each}
    </ul>
  </section>
{/if}
<form class="typed" onsubmit={mark} aria-label={t.typed.title}>
  <label>{t.typed.from} <input class="input figure" inputmode="numeric" size="5" bind:value={from} /></label>
  <label
    >{t.typed.to} <input class="input figure" inputmode="numeric" size="5" bind:value={to} />
    {distance.label}</label
  >
  <button type="submit" class="may" disabled={!fits}>{t.typed.mark}</button>
</form>

<style>
  section {
    margin: 8px 0;
  }
  h3 {
    font-size: 14px;
    font-weight: 640;
  }
  .small {
    font-size: 12.5px;
  }
  .pick {
    display: flex;
    gap: 8px;
    width: 100%;
    min-height: 26px;
    align-items: baseline;
    padding: 2px 4px;
    text-align: left;
    border-radius: 4px;
    cursor: pointer;
    font-size: 13px;
  }
  .pick:hover {
    background: var(--strip);
  }
  .pick b {
    min-width: 46px;
    font-weight: 600;
  }
  .typed {
    display: flex;
    flex-wrap: wrap;
    gap: 6px;
    align-items: center;
    font-size: 13px;
    margin: 8px 0;
  }
  .typed label {
    display: inline-flex;
    gap: 5px;
    align-items: center;
  }
  .input {
    width: 58px;
    height: 28px;
    padding: 0 6px;
  }
  .typed .may {
    min-height: 28px;
    padding: 0.1rem 0.6rem;
    font-size: 13px;
  }
</style>
