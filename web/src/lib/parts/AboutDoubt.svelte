<!-- What "±" means, in five lines, where it stands. -->
<script lang="ts">
  import Sheet from '$lib/parts/Sheet.svelte';
  import { texts } from '$lib/words';

  let open = $state(false);
  const t = texts.doubt;
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
