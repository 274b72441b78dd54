<!-- A change with its interval about a line for "no change"; slower lies to the right. -->
<script lang="ts">
  import { signed, unitOf } from '$lib/quantities/units';
  import { texts } from '$lib/words';

  interface Props {
    /** s a lap */
    value: number;
    low: number;
    high: number;
    /** more than chance */
    clear: boolean;
    /** largest of all that stand beside each other, s */
    most: number;
    width?: number;
    what?: string;
  }
  let { value, low, high, clear, most, width = 132, what = '' }: Props = $props();

  const HEIGHT = 18;
  const time = unitOf('time', 'metric');
  const x = (seconds: number): number =>
    width / 2 + (Math.min(Math.max(seconds / Math.max(most, 1e-6), -1), 1) * (width - 8)) / 2;
  const label = $derived(
    `${what ? `${what}: ` : ''}${signed(value, time)} s, ${texts.season.between(signed(low, time), signed(high, time))}`,
  );
</script>

<svg viewBox="0 0 {width} {HEIGHT}" {width} height={HEIGHT} role="img" aria-label={label}>
  <title>{label}</title>
  <line class="none" x1={width / 2} x2={width / 2} y1="1" y2={HEIGHT - 1} />
  <line class="reach" x1={x(low)} x2={x(high)} y1={HEIGHT / 2} y2={HEIGHT / 2} />
  <circle
    class={clear ? (value > 0 ? 'loss' : 'gain') : 'level'}
    cx={x(value)}
    cy={HEIGHT / 2}
    r={clear ? 5 : 4}
  />
</svg>

<style>
  svg {
    display: block;
  }
  .none {
    stroke: var(--field);
    stroke-width: 1;
  }
  .reach {
    stroke: var(--ink);
    stroke-width: 1.4;
  }
  circle {
    stroke: var(--ink);
    stroke-width: 1.2;
  }
  .loss {
    fill: var(--loss);
  }
  .gain {
    fill: var(--gain);
  }
  .level {
    fill: var(--sheet);
  }
</style>
