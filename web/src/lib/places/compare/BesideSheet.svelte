<!-- The chosen lap beside the reference in all passages or sectors, the better one underlined. -->
<script lang="ts">
  import { createQuery } from '@tanstack/svelte-query';
  import { api, done, type BesideRow } from '$lib/api/client';
  import { keys } from '$lib/api/keys';
  import { inFull, passageCalled } from '$lib/desk/called';
  import type { Desk } from '$lib/desk/desk.svelte';
  import Sheet from '$lib/parts/Sheet.svelte';
  import Trouble from '$lib/parts/Trouble.svelte';
  import { figure, signed, unitOf, type Unit } from '$lib/quantities/units';
  import { present } from '$lib/session/present.svelte';
  import { texts } from '$lib/words';

  let { desk, open = $bindable() }: { desk: Desk; open: boolean } = $props();

  const t = texts.compare.beside;
  let by = $state<'passages' | 'sectors'>('passages');
  const own = $derived(desk.chosenLap?.curves ?? '');
  const base = $derived(desk.reference?.curves ?? '');
  const found = createQuery(() => ({
    queryKey: keys.beside(present.build, own, base, by),
    queryFn: ({ signal }) =>
      done(api.GET('/api/beside', { params: { query: { laps: own, reference: base, by } }, signal })),
    enabled: open && own !== '' && base !== '',
  }));

  type Figure = keyof NonNullable<BesideRow['own']>;
  const units = $derived({
    time: unitOf('time', present.units),
    speed: unitOf('speed', present.units),
    acceleration: unitOf('acceleration', present.units),
  });
  const columns = $derived<{ of: Figure; unit: Unit; good: 'high' | 'low' }[]>([
    { of: 'time_s', unit: units.time, good: 'low' },
    { of: 'entry_speed', unit: units.speed, good: 'high' },
    { of: 'min_speed', unit: units.speed, good: 'high' },
    { of: 'exit_speed', unit: units.speed, good: 'high' },
    { of: 'mean_speed', unit: units.speed, good: 'high' },
    { of: 'peak_braking', unit: units.acceleration, good: 'high' },
    { of: 'mean_braking', unit: units.acceleration, good: 'high' },
  ]);

  function better(
    row: BesideRow,
    column: { of: Figure; unit: Unit; good: 'high' | 'low' },
  ): 'own' | 'reference' | null {
    const [a, b] = [row.own?.[column.of] ?? null, row.reference?.[column.of] ?? null];
    // What is written alike is level.
    if (a === null || b === null || figure(a, column.unit) === figure(b, column.unit)) return null;
    return a > b === (column.good === 'high') ? 'own' : 'reference';
  }

  function show(row: BesideRow): void {
    const passage = desk.passages.find((item) => item.name === row.name);
    if (by === 'passages' && passage) desk.choosePassage(passage);
    else desk.mark(row.from_m, row.to_m);
    open = false;
  }

  const called = (row: BesideRow): string =>
    by === 'passages' ? passageCalled(row) : texts.compare.sector(Number(row.name));
</script>

{#if desk.chosenLap && desk.reference}
  <Sheet bind:open title={t.title(inFull(desk.chosenLap), inFull(desk.reference))} wide>
    <div class="by" role="group">
      {#each ['passages', 'sectors'] as const as kind (kind)}
        <button type="button" class="may" aria-pressed={by === kind} onclick={() => (by = kind)}
          >{t[kind]}</button
        >
      {/each}
    </div>
    <p class="muted hint">{t.hint}</p>
    {#if found.error}<Trouble error={found.error} again={() => void found.refetch()} />{/if}
    {#if found.data}
      <div class="table">
        <table>
          <thead>
            <tr>
              <th scope="col">{t.where}</th>
              <th scope="col" class="num">{t.columns.loss}, {units.time.label}</th>
              {#each columns as column (column.of)}
                <th scope="col" class="num">{t.columns[column.of]}, {column.unit.label}</th>
              {/each}
            </tr>
          </thead>
          <tbody>
            {#each found.data.rows as row (row.name)}
              {@const sure = row.loss_s !== null && Math.abs(row.loss_s) > 2 * (row.loss_u_s ?? 0)}
              <tr>
                <th scope="row"
                  ><button type="button" onclick={() => show(row)}
                    >{called(row)}{#if by === 'sectors'}<span class="muted corners"
                        >{row.corners.join(' ')}</span
                      >{/if}</button
                  ></th
                >
                <td
                  class="num figure"
                  class:loss={sure && (row.loss_s ?? 0) > 0}
                  class:gain={sure && (row.loss_s ?? 0) < 0}
                  class:unsure={!sure}>{signed(row.loss_s, units.time)}</td
                >
                {#each columns as column (column.of)}
                  {@const side = better(row, column)}
                  <td class="num figure"
                    ><span class:best-own={side === 'own'}
                      >{figure(row.own?.[column.of] ?? null, column.unit)}</span
                    ><span class="other muted" class:best-own={side === 'reference'}
                      >{figure(row.reference?.[column.of] ?? null, column.unit)}</span
                    ></td
                  >
                {/each}
              </tr>
            {/each}
          </tbody>
        </table>
      </div>
    {:else if !found.error}
      <p class="muted">{texts.loading}</p>
    {/if}
  </Sheet>
{/if}

<style>
  .by {
    display: flex;
    gap: 6px;
    margin-bottom: 6px;
  }
  .by .may {
    min-height: 28px;
    padding: 0.1rem 0.6rem;
    font-size: 13px;
  }
  .by [aria-pressed='true'] {
    border-color: var(--ink);
    font-weight: 640;
  }
  .hint {
    font-size: 12.5px;
    margin-bottom: 6px;
  }
  .table {
    overflow-x: auto;
  }
  table {
    width: 100%;
    border-collapse: collapse;
    font-stretch: 85%;
    font-size: 13px;
  }
  thead th {
    font-size: 11px;
    font-weight: 500;
    color: var(--muted);
    padding: 2px 0 4px 10px;
    vertical-align: bottom;
  }
  th:first-child {
    text-align: left;
    padding-left: 0;
  }
  tbody td,
  tbody th {
    border-top: 1px solid var(--rule);
    padding: 3px 0 3px 10px;
    vertical-align: top;
  }
  tbody button {
    text-align: left;
    font-weight: 560;
    cursor: pointer;
  }
  tbody button:hover {
    text-decoration: underline;
  }
  .corners {
    display: block;
    font-weight: 440;
    font-size: 11px;
  }
  .num {
    text-align: right;
  }
  .other {
    display: block;
  }
  .unsure {
    color: var(--muted);
    font-style: italic;
  }
</style>
