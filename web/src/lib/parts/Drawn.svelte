<!-- A drawing of the server's inside the page, in the page's own fonts: only shapes and texts of it are taken over. -->
<script lang="ts">
  import { drawing } from '$lib/parts/drawing';

  let { svg, label }: { svg: string; label: string } = $props();

  const show = (holder: HTMLElement): void => {
    const made = drawing(svg, label);
    holder.replaceChildren(...(made ? [made] : []));
  };
</script>

<div {@attach show}></div>

<style>
  div :global(svg) {
    width: 100%;
    height: auto;
    display: block;
    border-radius: 3px;
  }
</style>
