<!-- What went wrong, in plain words, and what can be done. -->
<script lang="ts">
  import { texts } from '$lib/words';

  interface Props {
    error: unknown;
    again?: () => void;
  }
  let { error, again }: Props = $props();
</script>

<div class="trouble" role="alert">
  <p>{error instanceof Error ? error.message : String(error)}</p>
  {#if again}<button type="button" class="may" onclick={again}>{texts.again}</button>{/if}
</div>

<style>
  .trouble {
    border-left: 3px solid var(--loss);
    background: var(--sheet);
    padding: 12px 16px;
    display: flex;
    flex-wrap: wrap;
    gap: 12px;
    align-items: center;
    max-width: 640px;
  }
</style>
