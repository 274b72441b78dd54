<!-- The map of a circuit, turned as the team wants it: the road between its limits, and what can be moved along it. -->
<script lang="ts">
  import type { Drafting } from '$lib/circuit/drafting.svelte';
  import type { Handle } from '$lib/circuit/draft';
  import type { Outline } from '$lib/circuit/outline.svelte';
  import { texts } from '$lib/words';

  interface Props {
    drafting: Drafting;
    heading: number;
    width: number;
    height: number;
    /** a line that is being drawn on the map */
    outline: Outline;
    onletgo: (id: string) => void;
  }
  let { drafting, heading, width, height, outline, onletgo }: Props = $props();

  const t = texts.circuit;
  const PAD = 30;
  let svg = $state<SVGSVGElement>();

  type Point = [number, number];
  const layout = $derived(drafting.ground?.layout);
  /** east and north in metres, turned so that the heading points up, then onto the screen */
  const fit = $derived.by(() => {
    if (!layout) return null;
    const turn = (heading * Math.PI) / 180;
    const [cos, sin] = [Math.cos(turn), Math.sin(turn)];
    const turned = layout.x.map((x, i): Point => {
      const y = layout.y[i] ?? 0;
      return [x * cos - y * sin, x * sin + y * cos];
    });
    // While a line is drawn the map shows the part of the lap that the curves show.
    const [from, to] = drafting.zoom;
    const part =
      outline.drawing && drafting.zoomed
        ? turned.filter((_, i) => (layout.s[i] ?? 0) >= from && (layout.s[i] ?? 0) <= to)
        : turned;
    const seen = part.length > 1 ? part : turned;
    const xs = seen.map((p) => p[0]);
    const ys = seen.map((p) => p[1]);
    const [west, east] = [Math.min(...xs), Math.max(...xs)];
    const [south, north] = [Math.min(...ys), Math.max(...ys)];
    const scale = Math.min((width - 2 * PAD) / (east - west || 1), (height - 2 * PAD) / (north - south || 1));
    const left = (width - (east - west) * scale) / 2;
    const top = (height - (north - south) * scale) / 2;
    const points = turned.map(([x, y]): Point => [left + (x - west) * scale, top + (north - y) * scale]);
    const screen = ([x, y]: Point): Point => [
      left + (x * cos - y * sin - west) * scale,
      top + (north - (x * sin + y * cos)) * scale,
    ];
    const plane = ([px, py]: Point): Point => {
      const [x, y] = [(px - left) / scale + west, north - (py - top) / scale];
      return [x * cos + y * sin, -x * sin + y * cos];
    };
    return { points, scale, screen, plane };
  });

  const closed = $derived(drafting.ground?.closed ?? true);
  const d = (points: Point[], close: boolean) =>
    `M${points.map(([x, y]) => `${x.toFixed(1)} ${y.toFixed(1)}`).join('L')}${close ? 'Z' : ''}`;
  const road = $derived(fit ? d(fit.points, closed) : '');
  const zones = $derived(
    fit && layout && drafting.ground
      ? drafting.ground.zones.map((zone) => {
          const inside = layout.s
            .map((s, i): [number, Point] => [s, fit.points[i] ?? [0, 0]])
            .filter(([s]) =>
              zone.from_m <= zone.to_m
                ? s >= zone.from_m && s <= zone.to_m
                : s >= zone.from_m || s <= zone.to_m,
            )
            .map(([, p]) => p);
          return zone.from_m <= zone.to_m && inside.length > 1 ? d(inside, false) : '';
        })
      : [],
  );
  const limits = $derived.by(() => {
    const { ground } = drafting;
    if (!fit || !ground) return [];
    return [ground.left_limit, ground.right_limit].flatMap((offsets) =>
      offsets
        ? [
            d(
              fit.points.map((_, i) => beside(i, offsets[i] ?? 0)),
              closed,
            ),
          ]
        : [],
    );
  });

  function normal(i: number): Point {
    const points = fit?.points ?? [];
    const n = points.length;
    const a = points[closed ? (i - 1 + n) % n : Math.max(i - 1, 0)] ?? [0, 0];
    const b = points[closed ? (i + 1) % n : Math.min(i + 1, n - 1)] ?? [0, 0];
    const along = Math.hypot(b[0] - a[0], b[1] - a[1]) || 1;
    // Left of the driving direction; the screen's y points down.
    return [(b[1] - a[1]) / along, -(b[0] - a[0]) / along];
  }

  function beside(i: number, metres: number): Point {
    const [x, y] = fit?.points[i] ?? [0, 0];
    const [nx, ny] = normal(i);
    const by = metres * (fit?.scale ?? 1);
    return [x + nx * by, y + ny * by];
  }

  function indexAt(place: number): number {
    const s = layout?.s ?? [];
    let low = 0;
    let high = s.length - 1;
    while (low < high) {
      const middle = (low + high) >> 1;
      if ((s[middle] ?? 0) < place) low = middle + 1;
      else high = middle;
    }
    return low;
  }

  function pointAt(place: number): { at: Point; side: Point } {
    const i = indexAt(place);
    const s = layout?.s ?? [];
    const j = Math.max(i - 1, 0);
    const a = fit?.points[j] ?? [0, 0];
    const b = fit?.points[i] ?? [0, 0];
    const span = (s[i] ?? 0) - (s[j] ?? 0);
    const share = span > 0 ? Math.min(Math.max((place - (s[j] ?? 0)) / span, 0), 1) : 0;
    return { at: [a[0] + (b[0] - a[0]) * share, a[1] + (b[1] - a[1]) * share], side: normal(i) };
  }

  /** The place of the road nearest to a pointer; near the one that is held, where roads lie side by side. */
  function placeUnder(event: PointerEvent, held: number | null): number | null {
    if (!fit || !layout || !svg) return null;
    const box = svg.getBoundingClientRect();
    const px = event.clientX - box.left;
    const py = event.clientY - box.top;
    let best = Infinity;
    let place: number | null = null;
    const n = fit.points.length;
    for (let i = 0; i < (closed ? n : n - 1); i++) {
      const a = fit.points[i] ?? [0, 0];
      const b = fit.points[(i + 1) % n] ?? [0, 0];
      const [dx, dy] = [b[0] - a[0], b[1] - a[1]];
      const length = dx * dx + dy * dy || 1;
      const share = Math.min(Math.max(((px - a[0]) * dx + (py - a[1]) * dy) / length, 0), 1);
      const off = Math.hypot(a[0] + dx * share - px, a[1] + dy * share - py);
      const s0 = layout.s[i] ?? 0;
      const s1 = i + 1 < n ? (layout.s[i + 1] ?? s0) : layout.length_m;
      const s = s0 + (s1 - s0) * share;
      let apart = held === null ? 0 : Math.abs(s - held);
      if (closed) apart = Math.min(apart, layout.length_m - apart);
      const cost = off + (held === null ? 0 : (0.02 * apart * fit.scale) / 1);
      if (cost < best) [best, place] = [cost, s];
    }
    return best < 60 || held !== null ? place : null;
  }

  let dragging = $state<string | null>(null);

  function down(event: PointerEvent, handle: Handle): void {
    if (event.button !== 0) return;
    event.stopPropagation();
    (event.currentTarget as Element).setPointerCapture(event.pointerId);
    dragging = handle.id;
    drafting.hold(handle.id);
  }

  function move(event: PointerEvent, handle: Handle): void {
    if (dragging !== handle.id) return;
    const place = placeUnder(event, handle.place);
    if (place !== null) drafting.drag(handle.id, place, event.altKey ? 0 : 1 / (fit?.scale ?? 1));
  }

  function up(): void {
    if (!dragging) return;
    const id = dragging;
    dragging = null;
    drafting.letGo();
    onletgo(id);
  }

  function point(event: PointerEvent): void {
    if (outline.drawing && fit && svg) {
      const box = svg.getBoundingClientRect();
      outline.add(fit.plane([event.clientX - box.left, event.clientY - box.top]));
      return;
    }
    const place = placeUnder(event, null);
    if (place === null) return;
    drafting.cursor = place;
    drafting.show(place);
  }

  const names = $derived(
    (drafting.draft?.corners ?? []).map((corner) => {
      const i = indexAt(corner.apex_m);
      const [x, y] = fit?.points[i] ?? [0, 0];
      const [nx, ny] = normal(i);
      const own = layout?.corners.find((item) => item.name === corner.name)?.direction;
      // Outside of the bend, where nothing else is drawn.
      const out = own === 'right' ? 1 : -1;
      return { name: corner.name, x: x + nx * 17 * out, y: y + ny * 17 * out };
    }),
  );
  const drawnLine = $derived(fit ? outline.points.map(fit.screen) : []);
  const lane = $derived(
    fit && drafting.ground ? drafting.ground.pit_lane.map(([x, y]) => fit.screen([x ?? 0, y ?? 0])) : [],
  );
  const start = $derived(drafting.draft ? pointAt(drafting.draft.start_m) : null);
  const cursor = $derived(drafting.cursor === null ? null : pointAt(drafting.cursor).at);
</script>

<svg bind:this={svg} {width} {height} role="group" aria-label={t.map} onpointerdown={point}>
  <path d={road} class="road" />
  {#each limits as limit, i (i)}<path d={limit} class="limit" />{/each}
  <path d={road} class="line" />
  {#if lane.length > 1}<path d={d(lane, false)} class="lane" />{/if}
  {#each zones as zone, i (i)}<path d={zone} class="zone" />{/each}
  {#if start}
    {@const [x, y] = start.at}
    {@const [nx, ny] = start.side}
    <line class="start" x1={x - nx * 11} y1={y - ny * 11} x2={x + nx * 11} y2={y + ny * 11} />
  {/if}
  {#each names as corner (corner.name)}
    <text class="corner" text-anchor="middle" x={corner.x} y={corner.y}
      >{corner.name.replace(/^T(?=\d)/, '')}</text
    >
  {/each}
  {#if drawnLine.length > 1}<path d={d(drawnLine, false)} class="drawn" />{/if}
  {#each drawnLine as [x, y], i (i)}<circle class="spot" cx={x} cy={y} r="3" />{/each}
  {#each outline.drawing ? [] : drafting.handles as handle, i (handle.id)}
    {@const spot = pointAt(handle.place)}
    {@const [x, y] = spot.at}
    {@const [nx, ny] = spot.side}
    {@const reach = handle.end === 'entry' || handle.end === 'exit' ? 7 : 10}
    <g
      class="handle"
      class:held={drafting.held === handle.id}
      role="presentation"
      onpointerdown={(event) => down(event, handle)}
      onpointermove={(event) => move(event, handle)}
      onpointerup={up}
      onpointercancel={up}
    >
      <circle class="area" cx={x} cy={y} r="12" />
      {#if handle.end === 'apex'}
        <circle class="dot" cx={x} cy={y} r="5" />
      {:else if handle.kind === 'marks'}
        <rect class="dot" x={x - 4.5} y={y - 4.5} width="9" height="9" transform="rotate(45 {x} {y})" />
        <text
          class="label"
          x={x + (x > width / 2 ? -9 : 9)}
          y={y - 9}
          text-anchor={x > width / 2 ? 'end' : 'start'}>{handle.label}</text
        >
      {:else}
        <line class="bar" x1={x - nx * reach} y1={y - ny * reach} x2={x + nx * reach} y2={y + ny * reach} />
        {#if handle.kind === 'sectors'}
          <text class="label" text-anchor="middle" x={x + nx * 19} y={y + ny * 19}>{i + 2}</text>
        {/if}
      {/if}
    </g>
  {/each}
  {#if cursor}<circle class="cursor" cx={cursor[0]} cy={cursor[1]} r="5.5" />{/if}
</svg>

<style>
  svg {
    display: block;
    touch-action: none;
    cursor: crosshair;
    user-select: none;
  }
  path {
    fill: none;
    stroke-linejoin: round;
    stroke-linecap: round;
  }
  .road {
    stroke: var(--band);
    stroke-width: 11;
  }
  .line {
    stroke: var(--sheet);
    stroke-width: 7;
  }
  .limit {
    stroke: var(--muted);
    stroke-width: 1;
  }
  .lane {
    stroke: var(--muted);
    stroke-width: 1.5;
    stroke-dasharray: 4 3;
  }
  .drawn {
    stroke: var(--accent);
    stroke-width: 2;
  }
  .spot {
    fill: var(--accent);
  }
  .zone {
    stroke: var(--muted);
    stroke-width: 4;
    opacity: 0.45;
    stroke-linecap: butt;
  }
  .start {
    stroke: var(--ink);
    stroke-width: 2.5;
  }
  text {
    font:
      600 11px 'Instrument Sans Variable',
      sans-serif;
    fill: var(--ink);
    dominant-baseline: central;
    pointer-events: none;
  }
  .label {
    fill: var(--accent);
    paint-order: stroke;
    stroke: var(--sheet);
    stroke-width: 3px;
  }
  .handle {
    cursor: grab;
  }
  .handle.held {
    cursor: grabbing;
  }
  .area {
    fill: transparent;
  }
  .bar {
    stroke: var(--accent);
    stroke-width: 3;
    stroke-linecap: round;
  }
  .dot {
    fill: var(--accent);
    stroke: var(--sheet);
    stroke-width: 1.5;
  }
  .held .bar {
    stroke-width: 5;
  }
  .held .dot {
    stroke: var(--brass);
    stroke-width: 3;
  }
  .cursor {
    fill: var(--brass);
    stroke: var(--ink);
    stroke-width: 1.6;
    pointer-events: none;
  }
</style>
