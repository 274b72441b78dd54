<!-- Saves a run or an event in an open format. -->
<script lang="ts">
  import { Menu, Portal } from '@skeletonlabs/skeleton-svelte';
  import { Download } from '@lucide/svelte';
  import { texts } from '$lib/texts';

  interface Props {
    /** address without the format */
    address: string;
    label: string;
    formats?: string[];
  }
  let { address, label, formats = Object.keys(texts.handIn.formats) }: Props = $props();
</script>

<Menu onSelect={(details) => location.assign(`${address}?format=${details.value}`)}>
  <Menu.Trigger class="may"><Download size={15} aria-hidden="true" />{label}</Menu.Trigger>
  <Portal>
    <Menu.Positioner class="z-50!">
      <Menu.Content class="formats">
        {#each formats as format (format)}
          <Menu.Item value={format} class="format"
            ><Menu.ItemText>{texts.handIn.formats[format]}</Menu.ItemText></Menu.Item
          >
        {/each}
      </Menu.Content>
    </Menu.Positioner>
  </Portal>
</Menu>

<style>
  :global(.formats) {
    min-width: 150px;
    padding: 5px;
    background: var(--sheet);
    border: 1px solid var(--rule);
    border-radius: 6px;
    box-shadow: 0 6px 24px rgb(0 0 0 / 0.14);
  }
  :global(.format) {
    padding: 6px 10px;
    border-radius: 4px;
    cursor: pointer;
  }
  :global(.format[data-highlighted]) {
    background: var(--strip);
  }
</style>
