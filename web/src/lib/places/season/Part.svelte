<!-- A part of a page over days: what it tells, in a sentence how, and its content. -->
<script lang="ts">
  import type { Snippet } from 'svelte';

  interface Props {
    title: string;
    lead?: string;
    children: Snippet;
  }
  let { title, lead = '', children }: Props = $props();
</script>

<section aria-label={title}>
  <h2>{title}</h2>
  {#if lead}<p class="muted">{lead}</p>{/if}
  {@render children()}
</section>

<style>
  section {
    margin-top: 10px;
  }
  h2 {
    font-size: 15px;
    font-weight: 640;
  }
  p {
    font-size: 13px;
    max-width: 760px;
    margin-bottom: 6px;
  }
</style>
