<!-- A figure over the laps of a run as dots, one a lap in their order; the present lap is filled. -->
<script lang="ts">
  interface Props {
    values: (number | null)[];
    /** index of the present lap; -1 for none */
    own: number;
    label: string;
  }
  let { values, own, label }: Props = $props();

  const WIDTH = 76;
  const HEIGHT = 24;
  const known = $derived(values.filter((value): value is number => value !== null));
  const low = $derived(Math.min(...known));
  const span = $derived(Math.max(...known) - low || 1);
  const x = (i: number): number => 4 + (i * (WIDTH - 8)) / Math.max(1, values.length - 1);
  const y = (value: number): number => HEIGHT - 4 - ((value - low) / span) * (HEIGHT - 8);
</script>

<svg width={WIDTH} height={HEIGHT} role="img" aria-label={label}>
  {#each values as value, i (i)}
    {#if value !== null}<circle cx={x(i)} cy={y(value)} r={i === own ? 3 : 2} class:own={i === own} />{/if}
  {/each}
</svg>

<style>
  circle {
    fill: var(--muted);
    opacity: 0.65;
  }
  circle.own {
    fill: var(--ink);
    opacity: 1;
  }
</style>
