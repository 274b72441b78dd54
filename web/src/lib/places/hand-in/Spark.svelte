<!-- A channel's values in little: lowest and highest of each part in turn, 0 to 100. -->
<script lang="ts">
  interface Props {
    picture: number[];
    label: string;
  }
  let { picture, label }: Props = $props();
  const WIDTH = 120;
  const HEIGHT = 26;
  const path = $derived.by(() => {
    const count = picture.length / 2;
    const x = (i: number) => ((i + 0.5) / count) * WIDTH;
    const y = (value: number) => (HEIGHT - 2) * (1 - value / 100) + 1;
    const top = Array.from(
      { length: count },
      (_, i) => `${x(i).toFixed(1)},${y(picture[2 * i + 1] ?? 0).toFixed(1)}`,
    );
    const low = Array.from(
      { length: count },
      (_, i) => `${x(i).toFixed(1)},${y(picture[2 * i] ?? 0).toFixed(1)}`,
    );
    return [...top, ...low.reverse()].join(' ');
  });
</script>

<svg width={WIDTH} height={HEIGHT} viewBox="0 0 {WIDTH} {HEIGHT}" role="img" aria-label={label}>
  {#if picture.length > 1}<polygon points={path} />{/if}
</svg>

<style>
  svg {
    display: block;
  }
  polygon {
    fill: var(--muted);
    stroke: var(--muted);
    stroke-width: 1;
    stroke-linejoin: round;
  }
</style>
