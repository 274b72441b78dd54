<!-- The keys of a page, one way for all pages. -->
<script lang="ts">
  import Sheet from '$lib/parts/Sheet.svelte';
  import { texts } from '$lib/words';

  interface Props {
    open: boolean;
    title: string;
    /** what is pressed, and what it does */
    keys: [string, string][];
  }
  let { open = $bindable(), title, keys }: Props = $props();
</script>

<Sheet bind:open {title} read>
  <dl>
    {#each keys as [shown, does] (shown)}<dt><kbd>{shown}</kbd></dt>
      <dd>{does}</dd>{/each}
  </dl>
  <p class="muted">{texts.keys.off}</p>
</Sheet>

<style>
  kbd {
    font-family: var(--mono);
    font-stretch: 75%;
    font-size: 0.85em;
    border: 1px solid var(--rule);
    border-radius: 3px;
    padding: 0 5px;
    background: var(--paper);
  }
  dl {
    display: grid;
    grid-template-columns: max-content 1fr;
    gap: 6px 18px;
    margin-bottom: 12px;
  }
</style>
