<!-- A line: high where a driver is fast, straight where steady; broken where it may be otherwise. -->
<script lang="ts">
  let { fast, steady, sure }: { fast: boolean; steady: boolean; sure: boolean } = $props();

  const WIDTH = 46;
  const y = $derived(fast ? 5 : 14);
  const path = $derived(
    steady
      ? `M2 ${y}H${WIDTH - 2}`
      : `M2 ${y}` + Array.from({ length: 7 }, (_, i) => `q3 ${i % 2 ? 9 : -9} 6 0`).join(''),
  );
</script>

<svg width={WIDTH} height="19" viewBox="0 0 {WIDTH} 19" aria-hidden="true">
  <path d="M2 9.5H{WIDTH - 2}" stroke="var(--rule)" stroke-width="1" fill="none" />
  <path
    d={path}
    stroke={fast ? 'var(--gain-text)' : 'var(--loss-text)'}
    stroke-width="2.4"
    stroke-dasharray={sure ? undefined : '4 2.5'}
    fill="none"
  />
</svg>
