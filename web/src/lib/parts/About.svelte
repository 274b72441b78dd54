<!-- What is good to know in a few lines, where the question comes up. -->
<script lang="ts">
  import Sheet from '$lib/parts/Sheet.svelte';

  interface Props {
    t: { ask: string; title: string; lines: readonly string[] };
  }
  let { t }: Props = $props();
  let open = $state(false);
</script>

<button type="button" onclick={() => (open = true)}>{t.ask}</button>
<Sheet bind:open title={t.title}>
  <ol>
    {#each t.lines as line (line)}<li>{line}</li>{/each}
  </ol>
</Sheet>

<style>
  button {
    color: var(--accent);
    font-size: 12.5px;
    text-decoration: underline;
    text-underline-offset: 2px;
    cursor: pointer;
  }
  ol {
    list-style: decimal;
    padding-left: 1.3em;
    display: grid;
    gap: 8px;
  }
</style>
