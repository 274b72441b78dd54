<!-- What the signs of a cue's line mean. -->
<script lang="ts">
  import Sign from '$lib/places/season/Sign.svelte';
  import { texts } from '$lib/words';

  const t = texts.season.signs;
  const KINDS = ['asked', 'open', 'there', 'lost', 'cannot'] as const;
</script>

<ul class="muted">
  {#each KINDS as kind (kind)}
    <li><svg viewBox="0 0 16 16" aria-hidden="true"><Sign {kind} x={8} y={8} /></svg>{t[kind]}</li>
  {/each}
</ul>

<style>
  ul {
    display: flex;
    flex-wrap: wrap;
    gap: 2px 14px;
    font-size: 12.5px;
  }
  li {
    display: flex;
    align-items: center;
    gap: 5px;
  }
  svg {
    width: 14px;
    height: 14px;
  }
</style>
