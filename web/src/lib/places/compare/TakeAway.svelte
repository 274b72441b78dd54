<!-- Takes away what lies on the desk: as a picture with its legend, as numbers, or as a link. -->
<script lang="ts">
  import { Menu, Portal } from '@skeletonlabs/skeleton-svelte';
  import { Download } from '@lucide/svelte';
  import { fetchFile } from '$lib/api/client';
  import { inFull } from '$lib/desk/called';
  import type { Desk } from '$lib/desk/desk.svelte';
  import { writePlace } from '$lib/desk/place';
  import { numbersOf } from '$lib/desk/taking';
  import { inkOf } from '$lib/draw/inks';
  import { mode } from '$lib/draw/mode.svelte';
  import { keepFile, pngOf, svgOf, type Sheet } from '$lib/draw/taken/sheet';
  import { note } from '$lib/parts/notes.svelte';
  import { figure, unitOf } from '$lib/quantities/units';
  import { present } from '$lib/session/present.svelte';
  import { texts } from '$lib/words';

  interface Props {
    desk: Desk;
    root: HTMLElement | undefined;
    about: string;
    full: number;
  }
  let { desk, root, about, full }: Props = $props();

  const t = texts.compare.takeAway;
  const KINDS = ['svg', 'png', 'csv', 'json', 'link'] as const;
  type Kind = (typeof KINDS)[number];

  /** The address of exactly this, whatever staves somebody else is used to. */
  function link(): string {
    const place = { ...desk.place(), staves: desk.staves };
    return `${location.origin}/compare?${writePlace(place)}`;
  }

  function name(ending: string): string {
    const circuit = (desk.lineUp?.event.circuit ?? '').replace(/[\\/:*?"<>|]/g, ' ').slice(0, 60);
    const stretch = desk.settled?.passage ?? '';
    return [circuit, desk.lineUp?.event.day, stretch].filter(Boolean).join(' ') + `.${ending}`;
  }

  function sheet(of: HTMLElement): Sheet {
    const { reference, settled } = desk;
    const distance = unitOf('distance', present.units);
    const part = settled
      ? texts.compare.fromTo(figure(settled.from, distance), figure(settled.to, distance), distance.label)
      : texts.compare.wholeLap;
    const { inks } = mode;
    return {
      root: of,
      title: about,
      lines: [`${part}. ${reference ? t.against(inFull(reference)) : ''}`, t.strips((full * 100).toFixed(2))],
      legend: desk.shown.map((lap) => {
        const ink = inkOf(lap, desk.nth(lap.key), mode.dark);
        return lap.key === reference?.key
          ? { label: t.reference(inFull(lap)), colour: inks.band, width: 6.5, dash: [] }
          : { label: inFull(lap), colour: ink.colour, width: ink.weight + 0.4, dash: ink.dash };
      }),
      inks,
      metadata: JSON.stringify({
        address: link(),
        stretch_m: settled ? [settled.from, settled.to] : null,
        cursor_m: desk.cursor,
        reference: reference?.key ?? null,
        laps: desk.shown.map((lap) => ({
          lap: lap.key,
          driver: lap.driver?.name ?? null,
          number: lap.number,
          time_s: lap.time_s,
          delta_s: lap.delta_s,
          delta_u_s: lap.delta_u_s,
        })),
      }),
    };
  }

  async function copy(): Promise<void> {
    const address = link();
    try {
      await navigator.clipboard.writeText(address);
      note(t.linked);
    } catch {
      note(t.notCopied(address));
    }
  }

  async function take(kind: Kind): Promise<void> {
    if (kind === 'link') return copy();
    if (!root) return;
    try {
      const blob =
        kind === 'csv' || kind === 'json'
          ? await fetchFile(numbersOf(desk, kind))
          : kind === 'svg'
            ? new Blob([svgOf(sheet(root))], { type: 'image/svg+xml' })
            : await pngOf(sheet(root));
      keepFile(blob, name(kind));
      note(t.kept(name(kind)));
    } catch (error) {
      note(error instanceof Error ? error.message : String(error));
    }
  }
</script>

<Menu onSelect={(details) => void take(details.value as Kind)}>
  <Menu.Trigger class="may" aria-label={t.open} title={t.open}
    ><Download size={15} aria-hidden="true" /></Menu.Trigger
  >
  <Portal>
    <Menu.Positioner class="z-50!">
      <Menu.Content class="formats">
        {#each KINDS as kind (kind)}
          <Menu.Item value={kind} class="format"><Menu.ItemText>{t[kind]}</Menu.ItemText></Menu.Item>
        {/each}
      </Menu.Content>
    </Menu.Positioner>
  </Portal>
</Menu>
