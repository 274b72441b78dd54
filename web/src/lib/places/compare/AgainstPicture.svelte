<!-- Any channel over any other: every metre of every lap a dot. -->
<script lang="ts">
  import { ArrowLeftRight } from '@lucide/svelte';
  import { called } from '$lib/desk/called';
  import { valueAt } from '$lib/desk/curves';
  import type { Desk } from '$lib/desk/desk.svelte';
  import { nameInk } from '$lib/draw/inks';
  import { mode } from '$lib/draw/mode.svelte';
  import Plane from '$lib/draw/Plane.svelte';
  import { channelsOf } from '$lib/places/compare/channels';
  import { cloudsOf, insideOf } from '$lib/places/compare/clouds.svelte';
  import Behind from '$lib/parts/Behind.svelte';
  import Trouble from '$lib/parts/Trouble.svelte';
  import { registry } from '$lib/quantities/registry.svelte';
  import { figure } from '$lib/quantities/units';
  import { texts } from '$lib/words';

  let { desk }: { desk: Desk } = $props();

  const t = texts.compare.pictures.against;
  const HEIGHT = 360;
  let width = $state(0);
  const channels = $derived(channelsOf(desk, true));
  const has = (...codes: string[]): boolean => codes.every((code) => channels.includes(code));
  /** Pairs that tell something by themselves, of the channels there are. */
  const pairs = $derived(
    (
      [
        ['gears', 'engine_speed', 'speed'],
        ['pedals', 'brake_pressure', 'speed'],
        ['turning', 'aside', 'steering'],
      ] as const
    ).filter(([, of, over]) => has(of, over)),
  );
  const usual = $derived<[string, string]>(pairs[0] ? [pairs[0][1], pairs[0][2]] : ['ahead', 'speed']);
  const of = $derived(desk.of && channels.includes(desk.of) ? desk.of : usual[0]);
  const over = $derived(desk.over && channels.includes(desk.over) ? desk.over : usual[1]);
  const drawn = cloudsOf(
    () => desk,
    () => [over, of],
  );
  const units = $derived<[ReturnType<typeof registry.unit>, ReturnType<typeof registry.unit>]>([
    registry.unit(over),
    registry.unit(of),
  ]);
  const said = (code: string): string =>
    registry.label(code) + (registry.unit(code).label ? `, ${registry.unit(code).label}` : '');
  function choose(next: string, from: string): void {
    desk.of = next;
    desk.over = from;
  }
</script>

<div class="tool-bar under" data-apart>
  <label
    >{t.of}
    <select class="select" value={of} onchange={(event) => choose(event.currentTarget.value, over)}>
      {#each channels as code (code)}<option value={code}>{registry.label(code)}</option>{/each}
    </select></label
  >
  <button
    type="button"
    class="tool"
    aria-label={texts.compare.swapChannels}
    title={texts.compare.swapChannels}
    onclick={() => choose(over, of)}><ArrowLeftRight size={14} /></button
  >
  <label
    >{t.over}
    <select class="select" value={over} onchange={(event) => choose(of, event.currentTarget.value)}>
      {#each channels as code (code)}<option value={code}>{registry.label(code)}</option>{/each}
    </select></label
  >
  {#each pairs as [name, first, second] (name)}
    <button
      type="button"
      class="may"
      aria-pressed={of === first && over === second}
      onclick={() => choose(first, second)}>{t.pairs[name]}</button
    >
  {/each}
</div>
{#if drawn.query.error}<Trouble error={drawn.query.error} again={() => void drawn.query.refetch()} />{/if}
<div bind:clientWidth={width} style:height="{HEIGHT}px">
  {#if drawn.s && drawn.clouds.length && width > 0}
    <Plane
      s={drawn.s}
      clouds={drawn.clouds}
      inside={insideOf(desk)}
      cursor={desk.cursor}
      {units}
      labels={[said(over), said(of)]}
      {width}
      height={HEIGHT}
      label={t.label(registry.label(of), registry.label(over))}
      onplace={(place) => (desk.cursor = place)}
    />
  {:else if drawn.query.isSuccess}<p class="muted">{texts.compare.pictures.none}</p>
  {:else if !drawn.query.error}<p class="muted" role="status">{texts.loading}</p>{/if}
</div>
{#if drawn.s && desk.cursor !== null}
  <Behind label={t.table}>
    {#snippet head()}
      <tr
        ><th scope="col">{texts.compare.depth.lap}</th><th scope="col" class="num">{said(over)}</th><th
          scope="col"
          class="num">{said(of)}</th
        ></tr
      >
    {/snippet}
    {#snippet rows()}
      {#each desk.shown as lap (lap.key)}
        {@const cloud = drawn.clouds.find((one) => one.key === lap.key)}
        {#if cloud}
          <tr class:chosen={lap.key === desk.chosen}>
            <th
              scope="row"
              style:color={lap.key === desk.lineUp?.reference ? 'var(--muted)' : nameInk(lap, mode.dark)}
              >{called(lap).name} {called(lap).nth}</th
            >
            <td class="num figure"
              >{figure(valueAt(drawn.s ?? new Float64Array(), cloud.xs, desk.cursor ?? 0), units[0])}</td
            >
            <td class="num figure"
              >{figure(valueAt(drawn.s ?? new Float64Array(), cloud.ys, desk.cursor ?? 0), units[1])}</td
            >
          </tr>
        {/if}
      {/each}
    {/snippet}
  </Behind>
{/if}

<style>
  .under {
    margin-top: 4px;
    font-size: 12.5px;
  }
</style>
