<!-- What every channel on show does in the stretch, lap by lap: lowest, highest, mean, and both ends. -->
<script lang="ts">
  import { called } from '$lib/desk/called';
  import type { Desk } from '$lib/desk/desk.svelte';
  import { extremesOf, type Extremes } from '$lib/desk/extremes';
  import { nameInk } from '$lib/draw/inks';
  import { mode } from '$lib/draw/mode.svelte';
  import { registry } from '$lib/quantities/registry.svelte';
  import { figure, signed } from '$lib/quantities/units';
  import { texts } from '$lib/words';

  let { desk }: { desk: Desk } = $props();

  const t = texts.compare.channels;
  const SAYS: (keyof Extremes)[] = ['first', 'lowest', 'highest', 'mean', 'last'];
  let by = $state('');
  let down = $state(false);

  const tables = $derived(
    desk.roles.map((role) => ({
      role,
      unit: registry.unit(role),
      of: Object.fromEntries(
        desk.shown.flatMap((lap) => {
          const values = desk.curve(lap.key, role);
          const { curves, settled } = desk;
          const found =
            values && curves && settled
              ? extremesOf(curves.s, values, desk.curve(lap.key, 'time'), settled)
              : null;
          return found ? [[lap.key, found]] : [];
        }),
      ) as Record<string, Extremes | undefined>,
    })),
  );
  const known = $derived(tables.filter((table) => Object.keys(table.of).length));
  const rows = $derived.by(() => {
    const [role, say] = by.split(' ') as [string, keyof Extremes];
    const table = known.find((item) => item.role === role);
    if (!table) return desk.shown;
    return [...desk.shown].sort((a, b) => {
      const [own, other] = [table.of[a.key]?.[say] ?? null, table.of[b.key]?.[say] ?? null];
      if (own === null || other === null) return Number(own === null) - Number(other === null);
      return down ? other - own : own - other;
    });
  });

  function sort(code: string): void {
    down = by === code ? !down : false;
    by = code;
  }
</script>

<div class="table">
  <table>
    <thead>
      <tr class="groups">
        <td></td>
        {#each known as table (table.role)}
          <th scope="colgroup" colspan={SAYS.length}
            >{registry.label(table.role)}{table.unit.label ? `, ${table.unit.label}` : ''}</th
          >
        {/each}
      </tr>
      <tr>
        <th scope="col">{texts.compare.depth.lap}</th>
        {#each known as table (table.role)}
          {#each SAYS as say (say)}
            {@const code = `${table.role} ${say}`}
            <th scope="col" class="num" aria-sort={code !== by ? 'none' : down ? 'descending' : 'ascending'}
              ><button
                type="button"
                title={texts.compare.depth.sort(`${registry.label(table.role)}, ${t.says[say]}`)}
                onclick={() => sort(code)}
                ><span>{t.says[say]}</span>{#if code === by}<span aria-hidden="true">{down ? '▾' : '▴'}</span
                  >{/if}</button
              ></th
            >
          {/each}
        {/each}
      </tr>
    </thead>
    <tbody>
      {#each rows as lap (lap.key)}
        <tr class:chosen={lap.key === desk.chosen}>
          <th scope="row"
            ><button
              type="button"
              style:color={lap.key === desk.lineUp?.reference ? 'var(--muted)' : nameInk(lap, mode.dark)}
              onclick={() => (desk.chosen = lap.key)}
              ><span class="who">{called(lap).name}</span>&nbsp;{called(lap).nth}</button
            ></th
          >
          {#each known as table (table.role)}
            {#each SAYS as say, i (say)}
              {@const value = table.of[lap.key]?.[say]}
              <td class="num figure" class:first={i === 0}
                >{value === undefined || !Number.isFinite(value)
                  ? ''
                  : registry.isDifference(table.role)
                    ? signed(value, table.unit)
                    : figure(value, table.unit)}</td
              >
            {/each}
          {/each}
        </tr>
      {/each}
    </tbody>
  </table>
</div>

<style>
  .table {
    overflow-x: auto;
  }
  table {
    border-collapse: collapse;
    font-stretch: 85%;
  }
  th,
  td {
    padding: 3px 8px;
    border-bottom: 1px solid var(--rule);
    white-space: nowrap;
  }
  .groups th {
    text-align: left;
    padding-left: 16px;
    font-weight: 560;
  }
  thead button {
    font-size: 11px;
    min-height: 24px;
    color: var(--muted);
    cursor: pointer;
  }
  tbody th {
    position: sticky;
    left: 0;
    background: var(--sheet);
    text-align: left;
    font-weight: 500;
  }
  tbody button {
    display: flex;
    max-width: 200px;
    min-height: 24px;
    align-items: center;
    cursor: pointer;
  }
  .who {
    overflow: hidden;
    text-overflow: ellipsis;
  }
  .num {
    text-align: right;
  }
  .first {
    padding-left: 16px;
  }
  .chosen th,
  .chosen td {
    background: var(--strip);
  }
</style>
