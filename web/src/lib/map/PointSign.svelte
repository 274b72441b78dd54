<!-- A sign of the map's legend, driving upwards. -->
<script lang="ts">
  import type { Kind } from '$lib/map/points';

  let { kind }: { kind: Kind } = $props();
</script>

<svg width="14" height="14" viewBox="-7 -7 14 14" aria-hidden="true">
  {#if kind === 'brake_m'}<path d="M-6 0H6" stroke="currentColor" stroke-width="2.5" />
  {:else if kind === 'turn_in_m'}<path
      d="M-5 5L0 0L5 5"
      fill="none"
      stroke="currentColor"
      stroke-width="1.8"
    />
  {:else if kind === 'slowest_m'}<circle r="4" fill="currentColor" />
  {:else}<path d="M0 -6L5 4H-5Z" fill="currentColor" />{/if}
</svg>
