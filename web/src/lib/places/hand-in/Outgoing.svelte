<!-- A file on its way from this page. -->
<script lang="ts">
  import { Progress } from '@skeletonlabs/skeleton-svelte';
  import { X } from '@lucide/svelte';
  import type { Outbox, Sending } from '$lib/sending/sending.svelte';
  import { texts } from '$lib/words';

  interface Props {
    item: Sending;
    outbox: Outbox;
  }
  let { item, outbox }: Props = $props();
  const t = texts.handIn;
</script>

<div class="line">
  <strong class="file" title={item.name}>{item.name}</strong>
  {#if item.state === 'failed'}
    <span class="loss">{t.notSent}</span>
    <button
      type="button"
      class="icon"
      title={t.dismiss}
      aria-label="{t.dismiss}: {item.name}"
      onclick={() => outbox.remove(item)}><X size={16} /></button
    >
  {:else}
    <span class="muted">{item.state === 'waiting' ? t.waitingToSend : t.sending(item.share)}</span>
    {#if item.state === 'broken'}<button type="button" class="may" onclick={() => item.now()}
        >{t.tryNow}</button
      >{/if}
    <button type="button" class="may" onclick={() => outbox.remove(item)}>{t.cancel}</button>
  {/if}
</div>
{#if item.state === 'failed'}<p>{item.error}</p>{:else}
  <Progress value={Math.round(item.share * 100)}
    ><Progress.Track class="track"><Progress.Range class="range" /></Progress.Track></Progress
  >
  {#if item.state === 'broken'}<p class="loss" role="status">{item.error ?? t.brokenOff}</p>{/if}
{/if}
