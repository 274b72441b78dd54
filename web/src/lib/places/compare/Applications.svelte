<!-- The brake applications of all laps, laid on one another at their brake points, and the throttles at the lowest speed:
how somebody brakes and picks up, whatever the place. -->
<script lang="ts">
  import type { Card, DeskLap } from '$lib/api/client';
  import { around, type Around } from '$lib/desk/aligned';
  import type { Desk } from '$lib/desk/desk.svelte';
  import { inkOf } from '$lib/draw/inks';
  import { mode } from '$lib/draw/mode.svelte';
  import { figure, unitOf } from '$lib/quantities/units';
  import { present } from '$lib/session/present.svelte';
  import { texts } from '$lib/words';

  let { desk, card }: { desk: Desk; card: Card } = $props();

  const t = texts.compare.applications;
  const WIDTH = 150;
  const HEIGHT = 64;
  const BRAKES = ['brake_pressure', 'brake_pedal', 'brake_inferred'];
  const THROTTLES = ['throttle', 'throttle_inferred'];
  const distance = $derived(unitOf('distance', present.units));

  /** As long as the longest application, so that all of it is seen. */
  const longest = $derived(
    Math.max(
      60,
      ...card.figures.map(
        (row) => (row.brake_release_m ?? 0) - (row.brake_point_m ?? row.brake_release_m ?? 0) + 20,
      ),
    ),
  );
  const picture = (
    roles: string[],
    place: (row: Card['figures'][number]) => number | null,
    ends: [number, number],
  ) => {
    const { curves, pedals } = desk;
    if (!curves) return null;
    const found = (lap: DeskLap, role: string) => curves.of(lap.curves, role) ?? pedals?.of(lap.curves, role);
    // Each lap by the first of them that its logger knew, each kind to a scale of its own.
    const lines = roles.flatMap((role, nth) => {
      const asked = card.figures.flatMap((row) => {
        const lap = desk.shown.find((item) => item.curves === row.lap);
        if (!lap || roles.slice(0, nth).some((better) => found(lap, better))) return [];
        return [{ key: lap.key, values: found(lap, role), place: place(row) }];
      });
      return around(curves.s, asked, ends[0], ends[1], 2);
    });
    return lines.length ? { lines, ends } : null;
  };
  const braking = $derived(picture(BRAKES, (row) => row.brake_point_m, [15, Math.min(longest, 400)]));
  const throttle = $derived(picture(THROTTLES, (row) => row.min_speed_m, [20, 120]));

  const path = (line: Around, [before, after]: [number, number]): string =>
    line.points
      .map(
        ([at, value]) =>
          `${(((at + before) / (before + after)) * WIDTH).toFixed(1)},${(HEIGHT - 4 - value * (HEIGHT - 8)).toFixed(1)}`,
      )
      .join(' ');
  const ordered = (lines: Around[]): Around[] => {
    const rank = (key: string): number => (key === desk.lineUp?.reference ? 0 : key === desk.chosen ? 2 : 1);
    return [...lines].sort((a, b) => rank(a.key) - rank(b.key));
  };
</script>

{#snippet drawing(of: { lines: Around[]; ends: [number, number] }, title: string)}
  {@const zero = (of.ends[0] / (of.ends[0] + of.ends[1])) * WIDTH}
  <figure>
    <figcaption class="muted">{title}</figcaption>
    <svg width={WIDTH} height={HEIGHT} role="img" aria-label={t.label(title, of.lines.length)}>
      <line x1={zero} x2={zero} y1="0" y2={HEIGHT} class="zero" />
      <line x1="0" x2={WIDTH} y1={HEIGHT - 4} y2={HEIGHT - 4} class="base" />
      {#each ordered(of.lines) as line (line.key)}
        {@const lap = desk.laps.find((item) => item.key === line.key)}
        {#if lap}
          {@const reference = line.key === desk.lineUp?.reference}
          <polyline
            points={path(line, of.ends)}
            stroke={reference ? mode.inks.band : inkOf(lap, desk.nth(lap.key), mode.dark).colour}
            stroke-width={reference ? 5 : line.key === desk.chosen ? 2 : 1}
          />
        {/if}
      {/each}
    </svg>
    <span class="muted figure ends">{figure(of.ends[1], distance)} {distance.label}</span>
  </figure>
{/snippet}

{#if braking || throttle}
  <div class="both">
    {#if braking}{@render drawing(braking, t.braking)}{/if}
    {#if throttle}{@render drawing(throttle, t.throttle)}{/if}
  </div>
{/if}

<style>
  .both {
    display: flex;
    gap: 12px;
    margin-top: 10px;
  }
  figure {
    position: relative;
  }
  figcaption {
    font-size: 11px;
  }
  svg {
    display: block;
  }
  polyline {
    fill: none;
    stroke-linejoin: round;
  }
  .zero {
    stroke: var(--accent);
    stroke-width: 1;
  }
  .base {
    stroke: var(--rule);
  }
  .ends {
    display: block;
    text-align: right;
    font-size: 10px;
  }
</style>
