<!-- How much of their time laps spend at which values of a channel: a stepped line for each lap. -->
<script lang="ts">
  import { createQuery, keepPreviousData } from '@tanstack/svelte-query';
  import { api, done, type DeskLap } from '$lib/api/client';
  import { keys } from '$lib/api/keys';
  import { called } from '$lib/desk/called';
  import { valueAt } from '$lib/desk/curves';
  import type { Desk } from '$lib/desk/desk.svelte';
  import Canvas from '$lib/draw/Canvas.svelte';
  import { inkOf, nameInk } from '$lib/draw/inks';
  import { mode } from '$lib/draw/mode.svelte';
  import { marksOf, ticks } from '$lib/draw/trace';
  import { channelsOf } from '$lib/places/compare/channels';
  import Behind from '$lib/parts/Behind.svelte';
  import Trouble from '$lib/parts/Trouble.svelte';
  import { registry } from '$lib/quantities/registry.svelte';
  import { figure } from '$lib/quantities/units';
  import { present } from '$lib/session/present.svelte';
  import { texts } from '$lib/words';

  let { desk }: { desk: Desk } = $props();

  const t = texts.compare.pictures.often;
  const HEIGHT = 240;
  const PAD = { left: 40, right: 12, top: 20, bottom: 30 };
  let width = $state(0);

  const channels = $derived(channelsOf(desk, false));
  const role = $derived(desk.of && channels.includes(desk.of) ? desk.of : 'speed');
  const laps = $derived(
    desk.shown
      .map((lap) => lap.curves)
      .sort()
      .join(','),
  );
  const part = $derived(desk.settled);
  const asked = createQuery(() => ({
    queryKey: keys.often(`${present.build} ${present.units}`, laps, role, part),
    queryFn: ({ signal }) => {
      const stretch = part ? { from_m: part.from, to_m: part.to } : {};
      const query = { laps, role: encodeURIComponent(role), factor: unit.factor, zero: unit.offset, build: present.build, ...stretch }; // prettier-ignore
      return done(api.GET('/api/often', { params: { query }, signal }));
    },
    enabled: laps !== '',
    staleTime: Infinity,
    gcTime: 60_000,
    placeholderData: keepPreviousData,
  }));
  const unit = $derived(registry.unit(role));
  const edges = $derived(asked.data?.edges ?? []);
  const sharesOf = (lap: DeskLap): number[] =>
    asked.data?.laps.find((one) => one.lap === lap.curves)?.shares ?? [];
  const most = $derived(Math.max(0.01, ...desk.shown.flatMap(sharesOf)));
  const inner = $derived(width - PAD.left - PAD.right);
  const x = (value: number): number => {
    const [low, high] = [edges[0] ?? 0, edges.at(-1) ?? 1];
    return PAD.left + ((value - low) / (high - low || 1)) * inner;
  };
  const y = (share: number): number => HEIGHT - PAD.bottom - (share / most) * (HEIGHT - PAD.top - PAD.bottom);
  const rank = (lap: DeskLap): number =>
    lap.key === desk.lineUp?.reference ? 0 : lap.key === desk.chosen ? 2 : 1;
  const ordered = $derived([...desk.shown].sort((a, b) => rank(a) - rank(b)));

  function draw(ctx: CanvasRenderingContext2D): void {
    const { inks } = mode;
    const [low, high] = [edges[0] ?? 0, edges.at(-1) ?? 1];
    ctx.font = '10px "Martian Mono Variable"';
    ctx.fillStyle = inks.muted;
    ctx.strokeStyle = inks.rule;
    ctx.lineWidth = 1;
    ctx.beginPath();
    ctx.textAlign = 'center';
    ctx.textBaseline = 'alphabetic';
    for (const mark of marksOf([low, high], unit, Math.floor(width / 70))) {
      const at = Math.round(x(mark.value)) + 0.5;
      ctx.fillText(mark.text, at, HEIGHT - PAD.bottom + 12);
      ctx.moveTo(at, HEIGHT - PAD.bottom);
      ctx.lineTo(at, HEIGHT - PAD.bottom + 3);
    }
    ctx.textAlign = 'right';
    ctx.textBaseline = 'middle';
    for (const tick of ticks(0, most * 100, 5)) {
      const at = Math.round(y(tick / 100)) + 0.5;
      ctx.moveTo(PAD.left, at);
      ctx.lineTo(width - PAD.right, at);
      ctx.fillText(String(Number(tick.toFixed(6))), PAD.left - 5, at);
    }
    ctx.stroke();
    ctx.font = '11px "Instrument Sans Variable"';
    ctx.textBaseline = 'alphabetic';
    ctx.fillText(
      `${registry.label(role)}${unit.label ? `, ${unit.label}` : ''}`,
      width - PAD.right,
      HEIGHT - 4,
    );
    ctx.textAlign = 'left';
    ctx.fillText(t.share, 4, PAD.top - 8);
    for (const lap of ordered) drawLap(ctx, lap);
  }

  function drawLap(ctx: CanvasRenderingContext2D, lap: DeskLap): void {
    const shares = sharesOf(lap);
    if (!shares.length) return;
    const reference = lap.key === desk.lineUp?.reference;
    const ink = inkOf(lap, desk.nth(lap.key), mode.dark);
    ctx.beginPath();
    ctx.moveTo(x(edges[0] ?? 0), y(0));
    shares.forEach((share, i) => {
      ctx.lineTo(x(edges[i] ?? 0), y(share));
      ctx.lineTo(x(edges[i + 1] ?? 0), y(share));
    });
    ctx.lineTo(x(edges.at(-1) ?? 0), y(0));
    ctx.strokeStyle = reference ? mode.inks.band : ink.colour;
    ctx.lineWidth = reference ? 6.5 : lap.key === desk.chosen ? 2.4 : ink.weight;
    ctx.setLineDash(reference ? [] : ink.dash);
    ctx.stroke();
    ctx.setLineDash([]);
  }

  /** What every lap has at the cursor. */
  function drawCursor(ctx: CanvasRenderingContext2D): void {
    const { cursor, curves } = desk;
    if (cursor === null || !curves) return;
    for (const lap of ordered) {
      const values = desk.curve(lap.key, role);
      if (!values || lap.key === desk.lineUp?.reference) continue;
      const at = x(valueAt(curves.s, values, cursor));
      if (!Number.isFinite(at)) continue;
      ctx.beginPath();
      ctx.moveTo(at, PAD.top);
      ctx.lineTo(at, HEIGHT - PAD.bottom);
      ctx.strokeStyle =
        lap.key === desk.chosen ? mode.inks.accent : inkOf(lap, desk.nth(lap.key), mode.dark).colour;
      ctx.lineWidth = lap.key === desk.chosen ? 1.6 : 0.8;
      ctx.stroke();
    }
  }
</script>

<div class="tool-bar under" data-apart>
  <label
    >{t.of}
    <select class="select" value={role} onchange={(event) => (desk.of = event.currentTarget.value)}>
      {#each channels as code (code)}<option value={code}>{registry.label(code)}</option>{/each}
    </select></label
  >
</div>
{#if asked.error}<Trouble error={asked.error} again={() => void asked.refetch()} />{/if}
<div class="plot" bind:clientWidth={width} style:height="{HEIGHT}px">
  {#if asked.data && edges.length && width > 0}
    <Canvas {width} height={HEIGHT} {draw} label={t.label(registry.label(role))} />
    <div class="over"><Canvas {width} height={HEIGHT} draw={drawCursor} /></div>
  {:else if asked.data}<p class="muted">{texts.compare.pictures.none}</p>
  {:else}<p class="muted" role="status">{texts.loading}</p>{/if}
</div>
{#if edges.length}
  <Behind label={texts.compare.pictures.table}>
    {#snippet head()}
      <tr>
        <th scope="col" class="num">{t.from}{unit.label ? `, ${unit.label}` : ''}</th>
        <th scope="col" class="num">{t.to}</th>
        {#each desk.shown as lap (lap.key)}
          <th
            scope="col"
            class="num"
            style:color={lap.key === desk.lineUp?.reference ? 'var(--muted)' : nameInk(lap, mode.dark)}
            >{called(lap).name} {called(lap).nth}, %</th
          >
        {/each}
      </tr>
    {/snippet}
    {#snippet rows()}
      {#each edges.slice(0, -1) as edge, i (edge)}
        <tr>
          <td class="num figure">{figure(edge, unit, Math.max(unit.digits, 1))}</td>
          <td class="num figure">{figure(edges[i + 1], unit, Math.max(unit.digits, 1))}</td>
          {#each desk.shown as lap (lap.key)}
            <td class="num figure"
              >{sharesOf(lap)[i] === undefined ? '' : (100 * (sharesOf(lap)[i] ?? 0)).toFixed(1)}</td
            >
          {/each}
        </tr>
      {/each}
    {/snippet}
  </Behind>
{/if}

<style>
  .under {
    margin-top: 4px;
    font-size: 12.5px;
  }
  .plot {
    position: relative;
  }
  .over {
    position: absolute;
    inset: 0;
    pointer-events: none;
  }
</style>
