<!-- The numbers behind a drawing, as a table that is opened when somebody wants them. -->
<script lang="ts">
  import type { Snippet } from 'svelte';

  interface Props {
    label: string;
    head: Snippet;
    rows: Snippet;
  }
  let { label, head, rows }: Props = $props();
</script>

<details data-apart>
  <summary>{label}</summary>
  <div class="numbers">
    <table>
      <thead>{@render head()}</thead>
      <tbody>{@render rows()}</tbody>
    </table>
  </div>
</details>

<style>
  summary {
    font-size: 12.5px;
    min-height: 24px;
    cursor: pointer;
  }
</style>
