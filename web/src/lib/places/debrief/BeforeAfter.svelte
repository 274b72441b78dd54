<!-- A figure in every clean lap before and after, as dots, with the target. -->
<script lang="ts">
  import type { Cue, CueAnswered } from '$lib/api/client';
  import { spread } from '$lib/places/debrief/dots';
  import { figure, unitOfQuantity } from '$lib/quantities/units';
  import { present } from '$lib/session/present.svelte';
  import { texts } from '$lib/words';

  let { answer, target }: { answer: CueAnswered; target: Cue['target'] } = $props();

  const t = texts.debrief;
  const [WIDTH, HEIGHT, ROW] = [200, 62, 22];
  const unit = $derived(unitOfQuantity(target.quantity, present.units));
  const scale = $derived(spread([...answer.before, ...answer.after, target.value], WIDTH));
  const list = (values: (number | null)[]): string => values.map((value) => figure(value, unit)).join(', ');
  const rows = $derived([
    { name: t.before, values: answer.before, laps: answer.before_laps, y: ROW - 8 },
    { name: t.after, values: answer.after, laps: answer.after_laps, y: 2 * ROW - 4 },
  ]);
</script>

<svg
  viewBox="0 0 {WIDTH} {HEIGHT}"
  role="img"
  aria-label={t.dots(target.label, list(answer.before), list(answer.after))}
>
  <line class="target" x1={scale(target.value)} x2={scale(target.value)} y1="2" y2={HEIGHT - 14} />
  {#each rows as row (row.name)}
    <text x="0" y={row.y + 4}>{row.name}</text>
    {#each row.values as value, i (i)}
      {#if value !== null}<circle cx={scale(value)} cy={row.y} r="3.4"
          ><title>{row.laps[i]}: {figure(value, unit)} {unit.label}</title></circle
        >{/if}
    {/each}
  {/each}
  <text class="value" x={Math.min(Math.max(scale(target.value), 40), WIDTH - 30)} y={HEIGHT - 2}
    >{t.target.toLowerCase()} {figure(target.value, unit)}</text
  >
</svg>

<style>
  svg {
    width: 100%;
    max-width: 260px;
    height: auto;
  }
  text {
    font-size: 10.5px;
    fill: var(--muted);
  }
  .value {
    text-anchor: middle;
  }
  circle {
    fill: var(--ink);
    fill-opacity: 0.55;
  }
  .target {
    stroke: var(--brass);
    stroke-width: 2.5;
  }
</style>
