<!-- Where short notes appear. -->
<script lang="ts">
  import { Toast } from '@skeletonlabs/skeleton-svelte';
  import { X } from '@lucide/svelte';
  import { texts } from '$lib/words';
  import { toaster } from '$lib/parts/notes.svelte';
</script>

<Toast.Group {toaster}>
  {#snippet children(toast)}
    <Toast {toast} class="note">
      <Toast.Title class="said">{toast.title}</Toast.Title>
      {#if toast.action}<Toast.ActionTrigger class="back">{toast.action.label}</Toast.ActionTrigger>{/if}
      <Toast.CloseTrigger class="gone" aria-label={texts.close}><X size={16} /></Toast.CloseTrigger>
    </Toast>
  {/snippet}
</Toast.Group>

<style>
  :global(.note) {
    display: flex;
    align-items: center;
    gap: 14px;
    padding: 8px 8px 8px 16px;
    border-radius: 6px;
    background: var(--ink);
    color: var(--paper);
    box-shadow: 0 6px 24px rgb(0 0 0 / 0.24);
    max-width: min(560px, 92vw);
    /* Each note has a place of its own: the newest never lies under an older one. */
    translate: var(--x) var(--y);
    z-index: var(--z-index);
  }
  :global(.note .said) {
    overflow-wrap: anywhere;
  }
  :global(.note .back) {
    font-weight: 640;
    text-decoration: underline;
    text-underline-offset: 3px;
    cursor: pointer;
    min-height: 32px;
    white-space: nowrap;
  }
  :global(.note .gone) {
    width: 32px;
    height: 32px;
    display: grid;
    place-items: center;
    cursor: pointer;
  }
  :global(.note :focus-visible) {
    outline-color: var(--brass);
  }
</style>
