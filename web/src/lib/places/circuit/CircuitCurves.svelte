<!-- The lap as its curves show it: speed with the fan of the best laps, curvature, where it is braked for, and bars of
what can be moved, which run through all of it. -->
<script lang="ts">
  import type { Drafting } from '$lib/circuit/drafting.svelte';
  import type { Handle } from '$lib/circuit/draft';
  import { present } from '$lib/session/present.svelte';
  import { texts } from '$lib/words';
  import { figure, unitOf, type Unit } from '$lib/quantities/units';
  import { registry } from '$lib/quantities/registry.svelte';
  import { Gestures } from '$lib/draw/gestures';
  import { scaleOf } from '$lib/draw/scale';
  import { ticks } from '$lib/draw/trace';
  import { measuresFor } from '$lib/score/measures';
  import { pieces } from '$lib/desk/stretch';
  import { mode } from '$lib/draw/mode.svelte';
  import Stave, { type Line } from '$lib/score/Stave.svelte';

  interface Props {
    drafting: Drafting;
    lines: Line[];
    /** elevation, where it was logged */
    heights: Line[];
    s: Float64Array | null;
    note: string;
    onletgo: (id: string) => void;
    onremove: (id: string) => void;
  }
  let { drafting, lines, heights, s, note, onletgo, onremove }: Props = $props();

  const t = texts.circuit;
  const SPEED_PX = 196;
  const CURVATURE_PX = 104;
  const RIGHT = 14;
  let width = $state(0);
  let plain = $state<HTMLElement>();
  const m = $derived(measuresFor(width));
  const inner = $derived(Math.max(10, width - m.names - m.axis - RIGHT));
  const view = $derived(scaleOf(drafting.zoom, inner));
  const distance = $derived(unitOf('distance', present.units));
  const perMetre: Unit = { label: '1/km', factor: 1000, offset: 0, digits: 0 };

  const grid = $derived.by(() => {
    const count = drafting.ground?.curvature.length ?? 0;
    const places = Float64Array.from({ length: count }, (_, i) => i);
    if (count) places[count - 1] = drafting.length;
    return places;
  });
  const bend = $derived<Line[]>([
    {
      key: 'curvature',
      values: Float32Array.from(drafting.ground?.curvature ?? []),
      colour: mode.inks.ink,
      reference: false,
      chosen: false,
    },
  ]);
  const apexes = $derived((drafting.draft?.corners ?? []).map((corner) => corner.apex_m));
  const zones = $derived(
    (drafting.ground?.zones ?? []).flatMap((zone) =>
      pieces({ from: zone.from_m, to: zone.to_m }, drafting.length),
    ),
  );
  const marks = $derived(
    ticks(view.from * distance.factor, view.to * distance.factor, Math.max(2, Math.floor(inner / 90))),
  );
  /** parts of the lap at the foot: sectors or passages, from border to border */
  const parts = $derived.by(() => {
    const { draft, ground } = drafting;
    if (!draft || !ground) return [];
    const passages = drafting.kind === 'passages';
    const borders = passages
      ? [...draft.borders].sort((a, b) => a - b)
      : [draft.start_m, ...draft.splits.map((split) => split.m)].sort((a, b) => a - b);
    const first = passages ? 0 : Math.max(borders.indexOf(draft.start_m), 0);
    const n = borders.length;
    return borders.flatMap((from, i) => {
      const to = borders[(i + 1) % n] ?? from;
      const number = ((i - first + n) % n) + 1;
      const begun =
        number === 1 ? draft.first_sector : (draft.splits.find((split) => split.m === from)?.name ?? '');
      const named = passages ? '' : begun;
      const label = named || (passages ? t.passage(number) : t.sector(number));
      const span = { from, to: n === 1 || to === from ? from - 0.001 : to };
      return pieces(span, drafting.length).map(([a, b]) => ({ a, b, label, number, key: `${i}-${a}` }));
    });
  });

  const gestures = new Gestures({
    placeAt: (clientX) => {
      const box = (plain as HTMLElement).getBoundingClientRect();
      return Math.min(Math.max(view.place(clientX - box.left), 0), drafting.length);
    },
    metres: () => 1 / view.perStep,
    cursor: (place) => (drafting.cursor = place),
    mark: () => undefined,
    rest: () => undefined,
    pan: (metres) => drafting.pan(metres),
    zoom: (place, factor) => drafting.zoomAt(place, factor),
  });

  function zoomWheel(node: HTMLElement): { destroy: () => void } {
    node.addEventListener('wheel', gestures.wheel, { passive: false });
    return { destroy: () => node.removeEventListener('wheel', gestures.wheel) };
  }

  let dragging = $state<string | null>(null);

  function down(event: PointerEvent, handle: Handle): void {
    if (event.button !== 0) return;
    (event.currentTarget as Element).setPointerCapture(event.pointerId);
    dragging = handle.id;
    drafting.hold(handle.id);
  }

  function move(event: PointerEvent, handle: Handle): void {
    if (dragging !== handle.id) return;
    const box = (plain as HTMLElement).getBoundingClientRect();
    drafting.drag(handle.id, view.place(event.clientX - box.left), event.altKey ? 0 : 1 / view.perStep);
  }

  function up(): void {
    if (!dragging) return;
    const id = dragging;
    dragging = null;
    drafting.letGo();
    onletgo(id);
  }

  function key(event: KeyboardEvent, handle: Handle): void {
    if (event.key === 'Delete' || event.key === 'Backspace') {
      event.preventDefault();
      onremove(handle.id);
      return;
    }
    if (event.key !== 'ArrowLeft' && event.key !== 'ArrowRight') return;
    event.preventDefault();
    const by = (event.key === 'ArrowLeft' ? -1 : 1) * (event.shiftKey ? 10 : 1);
    drafting.place(handle.id, handle.place + by);
    onletgo(handle.id);
  }

  function cursorKey(event: KeyboardEvent): void {
    if (event.key !== 'ArrowLeft' && event.key !== 'ArrowRight') return;
    event.preventDefault();
    const by = (event.key === 'ArrowLeft' ? -1 : 1) * (event.shiftKey ? 10 : 1);
    const place = Math.min(Math.max((drafting.cursor ?? 0) + by, 0), drafting.length);
    drafting.cursor = place;
    drafting.show(place);
  }

  function said(handle: Handle): string {
    if (handle.id === 'start') return t.startHandle;
    if (handle.id === 'finish') return t.finishHandle;
    if (handle.end) return `${handle.id.slice(handle.id.indexOf(':') + 1)}, ${t[handle.end]}`;
    const number = Number(handle.id.slice(handle.id.indexOf(':') + 1));
    if (handle.kind === 'passages') return `${t.kinds.passages}, ${number + 1}`;
    return handle.label || t.sector(number + 2);
  }
  const shown = $derived(
    drafting.handles.filter((h) => view.x(h.place) >= -1 && view.x(h.place) <= inner + 1),
  );
</script>

<div class="curves" bind:clientWidth={width} role="group" aria-label={t.curves}>
  <div class="ruler" style:margin-left="{m.names + m.axis}px" style:width="{inner}px">
    {#each drafting.draft?.corners ?? [] as corner (corner.name)}
      {@const left = view.x(corner.entry_m)}
      {@const right = view.x(corner.exit_m >= corner.entry_m ? corner.exit_m : drafting.length)}
      {#if right > 0 && left < inner}
        <span
          class="bend"
          style:left="{Math.max(left, 0)}px"
          style:width="{Math.max(Math.min(right, inner) - Math.max(left, 0), 2)}px"
        ></span>
        {#if view.x(corner.apex_m) >= 0 && view.x(corner.apex_m) <= inner}
          <span class="number" style:left="{view.x(corner.apex_m)}px"
            >{corner.name.replace(/^T(?=\d)/, '')}</span
          >
        {/if}
      {/if}
    {/each}
  </div>
  <div class="rows">
    <div class="zones" style:left="{m.names + m.axis}px" style:width="{inner}px">
      {#each zones as [a, b], i (i)}
        {@const left = Math.max(view.x(a), 0)}
        {@const right = Math.min(view.x(b), inner)}
        {#if right > left}<span style:left="{left}px" style:width="{right - left}px"></span>{/if}
      {/each}
    </div>
    <div class="row">
      <div class="title" style:width="{m.names}px">
        <span class="label">{t.speed}</span>
        <span class="unit muted">{registry.unit('speed').label}</span>
        <span class="about muted">{note || t.speedOf}</span>
      </div>
      {#if s && lines.length}
        <Stave
          {s}
          {lines}
          scale={view}
          bars={apexes}
          unit={registry.unit('speed')}
          height={SPEED_PX}
          margin={m.axis}
        />
      {:else}
        <div style:height="{SPEED_PX}px"></div>
      {/if}
    </div>
    <div class="row">
      <div class="title" style:width="{m.names}px">
        <span class="label">{t.curvature}</span>
        <span class="unit muted">{perMetre.label}</span>
        <span class="about muted">+ {t.left}, − {t.right}</span>
      </div>
      <Stave
        s={grid}
        lines={bend}
        scale={view}
        bars={apexes}
        unit={perMetre}
        height={CURVATURE_PX}
        margin={m.axis}
        zero
      />
    </div>
    {#if s && heights.length}
      <div class="row">
        <div class="title" style:width="{m.names}px">
          <span class="label">{registry.label('altitude')}</span>
          <span class="unit muted">{registry.unit('altitude').label}</span>
        </div>
        <Stave
          {s}
          lines={heights}
          scale={view}
          bars={apexes}
          unit={registry.unit('altitude')}
          height={70}
          margin={m.axis}
        />
      </div>
    {/if}
    <!-- svelte-ignore a11y_no_noninteractive_tabindex, a11y_no_noninteractive_element_interactions -->
    <div
      class="plain"
      bind:this={plain}
      style:left="{m.names + m.axis}px"
      style:width="{inner}px"
      role="group"
      tabindex="0"
      aria-label={t.curves}
      onpointerdown={gestures.down}
      onpointermove={gestures.move}
      onpointerup={gestures.up}
      onpointercancel={gestures.cancel}
      ondblclick={() => drafting.whole()}
      onkeydown={cursorKey}
      use:zoomWheel
    ></div>
    {#if drafting.cursor !== null && view.x(drafting.cursor) >= 0 && view.x(drafting.cursor) <= inner}
      <span class="cursor" style:left="{m.names + m.axis + view.x(drafting.cursor)}px"></span>
    {/if}
    {#each shown as handle (handle.id)}
      <button
        type="button"
        class="bar {handle.kind} {handle.end ?? ''}"
        class:held={drafting.held === handle.id}
        style:left="{m.names + m.axis + view.x(handle.place)}px"
        role="slider"
        aria-label={said(handle)}
        aria-valuemin={0}
        aria-valuemax={Math.round(drafting.length)}
        aria-valuenow={Math.round(handle.place)}
        aria-valuetext="{figure(handle.place, distance, 1)} {distance.label}"
        onpointerdown={(event) => down(event, handle)}
        onpointermove={(event) => move(event, handle)}
        onpointerup={up}
        onpointercancel={up}
        onfocus={() => (drafting.held = handle.id)}
        onkeydown={(event) => key(event, handle)}
      >
        <span class="grip"></span>
        {#if drafting.held === handle.id}
          <span class="value figure">{figure(handle.place, distance, 1)} {distance.label}</span>
        {/if}
      </button>
    {/each}
  </div>
  <div class="foot" style:margin-left="{m.names + m.axis}px" style:width="{inner}px">
    {#each marks as mark (mark)}
      {@const x = view.x(mark / distance.factor)}
      {#if x > 6 && x < inner - 6}<span class="metre figure muted" style:left="{x}px">{mark}</span>{/if}
    {/each}
    {#each parts as part (part.key)}
      {@const left = Math.max(0, view.x(part.a))}
      {@const right = Math.min(inner, view.x(part.b))}
      {#if right - left > 4}
        <span class="part" style:left="{left}px" style:width="{right - left}px"
          >{right - left > 7 * part.label.length ? part.label : part.number}</span
        >
      {/if}
    {/each}
  </div>
</div>

<style>
  .curves {
    position: relative;
    user-select: none;
  }
  .ruler {
    position: relative;
    height: 24px;
  }
  .bend {
    position: absolute;
    bottom: 1px;
    height: 4px;
    border-radius: 2px;
    background: var(--band);
  }
  .number {
    position: absolute;
    top: 1px;
    transform: translateX(-50%);
    font-size: 12px;
    font-weight: 620;
    white-space: nowrap;
  }
  .rows {
    position: relative;
  }
  .row {
    display: flex;
    position: relative;
    margin-bottom: 4px;
  }
  .title {
    flex: none;
    line-height: 1.25;
    padding-right: 8px;
  }
  .label {
    display: block;
    font-weight: 620;
    font-stretch: 92%;
  }
  .unit {
    font-size: 12px;
  }
  .about {
    display: block;
    font-size: 11px;
    margin-top: 4px;
  }
  .zones {
    position: absolute;
    top: 0;
    bottom: 4px;
  }
  .zones span {
    position: absolute;
    top: 0;
    bottom: 0;
    background: var(--band);
    opacity: 0.42;
  }
  .plain {
    position: absolute;
    inset: 0 auto 0 auto;
    cursor: crosshair;
    touch-action: pan-y;
  }
  .cursor {
    position: absolute;
    top: 0;
    bottom: 4px;
    width: 1.5px;
    margin-left: -0.75px;
    background: var(--accent);
    pointer-events: none;
    opacity: 0.55;
  }
  .bar {
    position: absolute;
    top: -2px;
    bottom: 0;
    width: 16px;
    margin-left: -8px;
    cursor: ew-resize;
    touch-action: none;
    z-index: 1;
  }
  .bar::before {
    content: '';
    position: absolute;
    left: 7px;
    top: 0;
    bottom: 0;
    width: 2px;
    background: var(--accent);
  }
  .bar.entry::before,
  .bar.exit::before {
    width: 1px;
    left: 7.5px;
    background: var(--muted);
  }
  .grip {
    position: absolute;
    bottom: 0;
    left: 3px;
    width: 10px;
    height: 14px;
    border-radius: 3px;
    background: var(--accent);
    border: 1.5px solid var(--paper);
  }
  .bar.entry .grip,
  .bar.exit .grip {
    height: 10px;
    background: var(--muted);
  }
  .bar.held {
    z-index: 2;
  }
  .bar.held::before {
    width: 3px;
    left: 6.5px;
    background: var(--accent);
  }
  .bar.held .grip {
    background: var(--accent);
    outline: 2px solid var(--brass);
  }
  .value {
    position: absolute;
    top: 2px;
    left: 50%;
    transform: translateX(-50%);
    padding: 1px 6px;
    border-radius: 3px;
    background: var(--accent);
    color: var(--on-accent);
    white-space: nowrap;
    pointer-events: none;
  }
  .foot {
    position: relative;
    height: 40px;
    border-top: 1px solid var(--rule);
  }
  .metre {
    position: absolute;
    transform: translateX(-50%);
    font-size: 11px;
  }
  .part {
    position: absolute;
    top: 19px;
    height: 17px;
    text-align: center;
    font-size: 11px;
    color: var(--muted);
    border-left: 1px solid var(--muted);
    overflow: hidden;
    white-space: nowrap;
    text-overflow: ellipsis;
  }
</style>
