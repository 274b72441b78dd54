<!-- A sign on a cue's line: asked, not reached, there, lost again, cannot be judged. -->
<script lang="ts">
  import type { Sign } from '$lib/places/season/columns';

  let { kind, x, y }: { kind: Sign | 'asked'; x: number; y: number } = $props();
</script>

{#if kind === 'asked'}
  <path class="asked" d="M {x} {y - 6} l 6 6 l -6 6 l -6 -6 z" />
{:else if kind === 'cannot'}
  <line class="cannot" x1={x - 5} x2={x + 5} y1={y} y2={y} />
{:else}
  <circle class={kind} cx={x} cy={y} r="6" />
  {#if kind === 'lost'}<path class="cross" d="M {x - 4} {y - 4} l 8 8 m 0 -8 l -8 8" />{/if}
{/if}

<style>
  .asked {
    fill: var(--brass);
    stroke: var(--ink);
    stroke-width: 1;
  }
  .open,
  .lost {
    fill: var(--paper);
    stroke: var(--ink);
    stroke-width: 1.5;
  }
  .there {
    fill: var(--ink);
  }
  .cross {
    stroke: var(--ink);
    stroke-width: 1.6;
    fill: none;
  }
  .cannot {
    stroke: var(--field);
    stroke-width: 3;
  }
</style>
