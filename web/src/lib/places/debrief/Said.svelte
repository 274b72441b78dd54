<!-- What the driver said of this run. -->
<script lang="ts">
  import type { Prepared } from '$lib/api/client';
  import { texts } from '$lib/words';

  let { data }: { data: Prepared } = $props();
  const t = texts.debrief;
</script>

<section aria-label={t.said}>
  <h2>{t.said}</h2>
  {#if data.felt}<p class="felt">{data.felt}</p>{/if}
  {#if data.voices.length}
    <ul>
      {#each data.voices as voice, i (i)}
        <li class={voice.felt}>
          <b>{voice.corner ?? ''}</b>
          {t.felt[voice.felt]}{voice.words ? `: ${voice.words}` : ''}
        </li>
      {/each}
    </ul>
  {:else if !data.felt}<p class="muted">{t.nothingSaid}</p>{/if}
</section>

<style>
  h2 {
    font-size: 15px;
    font-weight: 640;
    margin: 12px 0 4px;
  }
  .felt {
    white-space: pre-wrap;
    overflow-wrap: anywhere;
  }
  ul {
    display: flex;
    flex-wrap: wrap;
    gap: 4px 10px;
    font-size: 13px;
  }
  li {
    padding: 2px 8px;
    background: var(--sheet);
    border: 1px solid var(--rule);
    border-radius: 3px;
    overflow-wrap: anywhere;
  }
  li.lost,
  li.unsure {
    border-left: 3px solid var(--brass);
  }
  li.question {
    border-left: 3px solid var(--accent);
    width: 100%;
  }
  b {
    font-weight: 640;
  }
</style>
