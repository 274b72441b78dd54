<!-- A dialog in our dress. -->
<script lang="ts">
  import { Dialog, Portal } from '@skeletonlabs/skeleton-svelte';
  import { X } from '@lucide/svelte';
  import type { Snippet } from 'svelte';
  import { texts } from '$lib/words';

  interface Props {
    open: boolean;
    title: string;
    children: Snippet;
    footer?: Snippet;
    /** for tables */
    wide?: boolean;
    /** for what is only read and may be longer than the screen: the keyboard can scroll it */
    read?: boolean;
    /** what has the focus when it opens, where that is not the first thing in it */
    first?: () => HTMLElement | null;
  }
  let { open = $bindable(), title, children, footer, wide = false, read = false, first }: Props = $props();
</script>

<Dialog {open} onOpenChange={(details) => (open = details.open)} initialFocusEl={first}>
  <Portal>
    <Dialog.Backdrop class="veil" />
    <Dialog.Positioner class="positioner">
      <Dialog.Content class={wide ? 'sheet wide' : 'sheet'}>
        <header>
          <Dialog.Title class="title">{title}</Dialog.Title>
          <Dialog.CloseTrigger class="shut" aria-label={texts.close} title={texts.close}
            ><X size={18} /></Dialog.CloseTrigger
          >
        </header>
        <!-- svelte-ignore a11y_no_noninteractive_tabindex -->
        <div class="body" tabindex={read ? 0 : undefined}>{@render children()}</div>
        {#if footer}<footer>{@render footer()}</footer>{/if}
      </Dialog.Content>
    </Dialog.Positioner>
  </Portal>
</Dialog>

<style>
  :global(.veil) {
    position: fixed;
    inset: 0;
    z-index: 40;
    background: rgb(32 30 24 / 0.35);
  }
  :global(.positioner) {
    position: fixed;
    inset: 0;
    z-index: 41;
    display: grid;
    place-items: center;
    padding: 20px;
  }
  :global(.sheet) {
    width: min(620px, 100%);
    max-height: 86vh;
    display: grid;
    grid-template-rows: auto minmax(0, 1fr) auto;
    background: var(--sheet);
    border-radius: 6px;
    box-shadow: 0 14px 50px rgb(0 0 0 / 0.3);
  }
  :global(.sheet.wide) {
    width: min(1180px, 100%);
  }
  header {
    display: flex;
    justify-content: space-between;
    align-items: center;
    padding: 14px 20px 8px;
  }
  :global(.sheet .title) {
    font-size: 17px;
    font-weight: 640;
  }
  :global(.shut) {
    width: 32px;
    height: 32px;
    display: grid;
    place-items: center;
    border-radius: 5px;
    cursor: pointer;
  }
  .body {
    overflow-y: auto;
    padding: 0 20px 16px;
  }
  footer {
    padding: 10px 20px;
    border-top: 1px solid var(--rule);
    display: flex;
    flex-wrap: wrap;
    gap: 10px;
    justify-content: flex-end;
    align-items: center;
  }
</style>
