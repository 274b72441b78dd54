<!-- The way from an empty team to its first comparison: what is done, and what comes next. -->
<script lang="ts">
  import { Check } from '@lucide/svelte';
  import type { HandIn } from '$lib/api/client';
  import { texts } from '$lib/words';

  interface Props {
    files: HandIn[];
  }
  let { files }: Props = $props();
  const t = texts.steps;
  const runs = $derived(files.filter((item) => item.run));
  const nameless = $derived(runs.some((item) => item.found));
  const reached = $derived([runs.length >= 2, runs.length > 0 && !nameless, false]);
  const next = $derived(reached.indexOf(false));
</script>

<section aria-label={t.title}>
  <ol>
    {#each t.steps as [name, words], i (name)}
      <li class:done={reached[i]} aria-current={i === next ? 'step' : undefined}>
        <span class="number" aria-hidden="true"
          >{#if reached[i]}<Check size={14} />{:else}{i + 1}{/if}</span
        >
        <span
          ><strong>{name}</strong>{#if reached[i]}<span class="sr-only"> ({t.done})</span>{/if}
          <span class="muted words">{words}</span></span
        >
      </li>
    {/each}
  </ol>
  {#if reached[0]}<a class="do" href="/compare">{t.go}</a>{/if}
</section>

<style>
  section {
    display: flex;
    flex-wrap: wrap;
    gap: 10px 20px;
    align-items: center;
    padding: 12px 0 14px;
    border-bottom: 1px solid var(--rule);
  }
  ol {
    flex: 1;
    display: grid;
    grid-template-columns: repeat(auto-fit, minmax(200px, 1fr));
    gap: 10px 20px;
  }
  li {
    display: flex;
    gap: 10px;
    color: var(--muted);
  }
  li[aria-current] {
    color: var(--ink);
  }
  .number {
    flex: none;
    display: grid;
    place-items: center;
    width: 24px;
    height: 24px;
    border-radius: 12px;
    border: 1px solid var(--field);
    font-size: 13px;
  }
  li[aria-current] .number {
    border-color: var(--brass);
    box-shadow: 0 0 0 2px var(--brass);
  }
  .words {
    display: block;
    font-size: 13px;
  }
</style>
