<!-- What can be done with a lap of the line-up. -->
<script lang="ts">
  import { Menu, Portal } from '@skeletonlabs/skeleton-svelte';
  import { Ellipsis } from '@lucide/svelte';
  import { useQueryClient } from '@tanstack/svelte-query';
  import { api, done, type DeskLap } from '$lib/api/client';
  import { keys } from '$lib/api/keys';
  import { inFull } from '$lib/desk/called';
  import type { Desk } from '$lib/desk/desk.svelte';
  import { COLOURS, driverColour } from '$lib/draw/colours';
  import { mode } from '$lib/draw/mode.svelte';
  import { measureDay } from '$lib/parts/measuring';
  import { note, noteAction } from '$lib/parts/notes.svelte';
  import { present } from '$lib/session/present.svelte';
  import { texts } from '$lib/words';

  interface Props {
    desk: Desk;
    lap: DeskLap;
    onmeasure: (key: string) => void;
    onoff: (key: string) => void;
  }
  let { desk, lap, onmeasure, onoff }: Props = $props();

  const t = texts.compare.order;
  const client = useQueryClient();
  const isReference = $derived(lap.key === desk.lineUp?.reference);
  const hidden = $derived(desk.hidden.includes(lap.key));
  const leads = $derived(present.me?.role === 'owner' || present.me?.role === 'coach');

  async function change(said: string, body: { colour?: number; reference_only?: boolean }): Promise<void> {
    if (!lap.driver) return;
    try {
      const params = { path: { driver_id: lap.driver.id } };
      const found = await done(api.PATCH('/api/drivers/{driver_id}', { params, body }));
      const again = (): Promise<void> => client.invalidateQueries({ queryKey: keys.anyDesk() });
      await again();
      if (found.action !== null) noteAction(said, found.action, again);
    } catch (error) {
      note(error instanceof Error ? error.message : String(error));
    }
  }

  /** The whole day of the desk is measured against this lap, on every screen. */
  async function asDay(): Promise<void> {
    try {
      if (desk.lineUp) await measureDay(client, desk.lineUp.event.id, lap.key);
    } catch (error) {
      note(error instanceof Error ? error.message : String(error));
    }
  }

  function select(what: string): void {
    const driver = lap.driver;
    if (what === 'up') desk.move(lap.key, -1);
    else if (what === 'down') desk.move(lap.key, 1);
    else if (what === 'hide') desk.hide(lap.key);
    else if (what === 'alone') desk.alone(lap.key);
    else if (what === 'all') desk.hidden = [];
    else if (what === 'measure') onmeasure(lap.key);
    else if (what === 'measure-day') void asDay();
    else if (what === 'off') onoff(lap.key);
    else if (driver && what === 'reference-only')
      void change(driver.reference_only ? t.isStudent(driver.name) : t.isReference(driver.name), {
        reference_only: !driver.reference_only,
      });
    else if (driver && what.startsWith('colour-'))
      void change(t.changed(driver.name), { colour: Number(what.slice(7)) });
  }
</script>

<Menu onSelect={(details) => select(details.value)} positioning={{ placement: 'bottom-end' }}>
  <Menu.Trigger class="lap-menu" aria-label={t.menu(inFull(lap))}><Ellipsis size={15} /></Menu.Trigger>
  <Portal>
    <Menu.Positioner class="lap-choices">
      <Menu.Content class="menu">
        {#if !isReference}
          <Menu.Item value="measure" class="item">{t.measure}<kbd>v</kbd></Menu.Item>
          <Menu.Item value="hide" class="item">{hidden ? t.show : t.hide}<kbd>h</kbd></Menu.Item>
        {/if}
        {#if leads && lap.run !== null}<Menu.Item value="measure-day" class="item">{t.measureDay}</Menu.Item
          >{/if}
        <Menu.Item value="alone" class="item">{t.alone}<kbd>j</kbd></Menu.Item>
        {#if desk.hidden.length}<Menu.Item value="all" class="item">{t.all}</Menu.Item>{/if}
        <Menu.Item value="up" class="item">{t.up}<kbd>Alt ↑</kbd></Menu.Item>
        <Menu.Item value="down" class="item">{t.down}<kbd>Alt ↓</kbd></Menu.Item>
        {#if !isReference}<Menu.Item value="off" class="item">{t.off}</Menu.Item>{/if}
        {#if leads && lap.driver}
          {@const name = lap.driver.name}
          <Menu.Item value="reference-only" class="item line"
            >{lap.driver.reference_only ? t.student(name) : t.referenceOnly(name)}</Menu.Item
          >
          <p class="muted colours-title">{t.colour(name)}</p>
          <div class="colours">
            {#each COLOURS.keys() as index (index)}
              <Menu.Item
                value="colour-{index}"
                class="swatch"
                aria-label={t.colourOf(index + 1)}
                title={t.colourOf(index + 1)}
                ><span
                  class:own={lap.driver.colour % COLOURS.length === index}
                  style:background={driverColour(index, mode.dark)}
                ></span></Menu.Item
              >
            {/each}
          </div>
        {/if}
      </Menu.Content>
    </Menu.Positioner>
  </Portal>
</Menu>

<style>
  :global(.lap-menu) {
    width: 24px;
    height: 24px;
    display: grid;
    place-items: center;
    border-radius: 4px;
    color: var(--muted);
    cursor: pointer;
    opacity: 0;
  }
  :global(.row:hover .lap-menu),
  :global(.lap-menu:focus-visible),
  :global(.lap-menu[data-state='open']) {
    opacity: 1;
  }
  @media (hover: none) {
    :global(.lap-menu) {
      opacity: 1;
    }
  }
  :global(.lap-choices) {
    z-index: 30 !important;
  }
  :global(.menu) {
    min-width: 220px;
    max-width: 320px;
    padding: 6px;
    background: var(--sheet);
    border: 1px solid var(--rule);
    border-radius: 6px;
    box-shadow: 0 8px 30px rgb(0 0 0 / 0.2);
  }
  :global(.menu .item) {
    display: flex;
    justify-content: space-between;
    gap: 16px;
    padding: 3px 8px !important;
    min-height: 30px;
    align-items: center;
    border-radius: 4px;
    cursor: pointer;
    overflow-wrap: anywhere;
  }
  :global(.menu .item[data-highlighted]) {
    background: var(--strip);
  }
  :global(.menu .line) {
    margin-top: 6px;
    border-top: 1px solid var(--rule);
    border-radius: 0;
  }
  .colours-title {
    padding: 4px 8px 2px;
    font-size: 12px;
    overflow: hidden;
    text-overflow: ellipsis;
    white-space: nowrap;
  }
  .colours {
    display: grid;
    grid-template-columns: repeat(6, 1fr);
    gap: 2px;
    padding: 0 6px 4px;
  }
  :global(.swatch) {
    padding: 4px;
    border-radius: 4px;
    cursor: pointer;
  }
  :global(.swatch[data-highlighted]) {
    background: var(--strip);
    outline: 2px solid var(--ink);
  }
  .colours span {
    display: block;
    height: 18px;
    border-radius: 3px;
  }
  .colours .own {
    outline: 2px solid var(--ink);
    outline-offset: 1px;
  }
  kbd {
    font-family: var(--mono);
    font-stretch: 75%;
    font-size: 0.8em;
    color: var(--muted);
  }
</style>
