<!-- Lays laps on the desk that answer what is often asked. -->
<script lang="ts">
  import { api, done, type FillingKind, type RunChoices } from '$lib/api/client';
  import Trouble from '$lib/parts/Trouble.svelte';
  import { texts } from '$lib/words';

  interface Props {
    event: number;
    /** of that event */
    runs: RunChoices[];
    onfill: (laps: string[], reference: string) => void;
  }
  let { event, runs, onfill }: Props = $props();

  const t = texts.compare.fill;
  const KINDS: FillingKind[] = [
    'bests',
    'near_best',
    'best_of_two',
    'first_and_last',
    'today_and_ever',
    'winners',
  ];
  let kind = $state<FillingKind>('bests');
  let driver = $state<number | null>(null);
  let other = $state<number | null>(null);
  let run = $state<number | null>(null);
  /** how far from the best a lap near it may be: a share, or seconds */
  const NEAR = ['0.5 %', '1 %', '1.5 %', '2 %', '3 %', '0.5 s', '1 s', '2 s', '3 s', '5 s'];
  let near = $state('1.5 %');
  let trouble = $state<unknown>(null);

  const drivers = $derived([...new Map(runs.map((item) => [item.driver.id, item.driver])).values()]);
  const asksDriver = $derived(['near_best', 'best_of_two', 'today_and_ever'].includes(kind));
  const asksOther = $derived(kind === 'best_of_two');
  const asksRun = $derived(kind === 'first_and_last');
  const ready = $derived(
    (!asksDriver || driver !== null) &&
      (!asksOther || (other !== null && other !== driver)) &&
      (!asksRun || run !== null),
  );

  const within = $derived(
    near.endsWith('%') ? { within_share: parseFloat(near) / 100 } : { within_s: parseFloat(near) },
  );

  async function fill(): Promise<void> {
    trouble = null;
    const query = {
      kind,
      event,
      ...(asksDriver && driver !== null ? { driver } : {}),
      ...(asksOther && other !== null ? { other } : {}),
      ...(kind === 'near_best' ? within : {}),
      ...(asksRun && run !== null ? { run } : {}),
    };
    try {
      const found = await done(api.GET('/api/fillings', { params: { query } }));
      // Of one driver the usual lap lies on top: a habit is a column beneath it, a slip a spot.
      // What is usual is told of the laps that are laid, not of others of the day.
      const usual = kind === 'near_best' ? ['median-desk'] : [];
      onfill([...usual, ...found.laps], found.reference);
    } catch (error) {
      trouble = error;
    }
  }
</script>

<div class="fill" role="group" aria-label={t.title}>
  <select class="select" aria-label={t.which} bind:value={kind}>
    {#each KINDS as item (item)}<option value={item}>{t.kinds[item]}</option>{/each}
  </select>
  {#if asksDriver}
    <select class="select" aria-label={t.driver} bind:value={driver}>
      <option value={null}>{t.driver} …</option>
      {#each drivers as item (item.id)}<option value={item.id}>{item.name}</option>{/each}
    </select>
  {/if}
  {#if kind === 'near_best'}
    <select class="select" aria-label={t.near} title={t.near} bind:value={near}>
      {#each NEAR as item (item)}<option value={item}>{t.within(item)}</option>{/each}
    </select>
  {/if}
  {#if asksOther}
    <select class="select" aria-label={t.other} bind:value={other}>
      <option value={null}>{t.other} …</option>
      {#each drivers as item (item.id)}
        {#if item.id !== driver}<option value={item.id}>{item.name}</option>{/if}
      {/each}
    </select>
  {/if}
  {#if asksRun}
    <select class="select" aria-label={t.run} bind:value={run}>
      <option value={null}>{t.run} …</option>
      {#each runs as item (item.run)}
        <option value={item.run}>{item.driver.name} {item.started_at?.slice(11, 16) ?? ''}</option>
      {/each}
    </select>
  {/if}
  <button type="button" class="may" disabled={!ready} onclick={() => void fill()}>{t.lay}</button>
</div>
{#if trouble}<Trouble error={trouble} />{/if}

<style>
  .fill {
    display: flex;
    flex-wrap: wrap;
    gap: 8px;
    align-items: center;
  }
  .select {
    width: auto;
    max-width: 300px;
    height: 32px;
    padding: 0 28px 0 8px;
    font-size: 13px;
    text-overflow: ellipsis;
  }
</style>
