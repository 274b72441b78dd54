<!-- Files that came together: how far they are as a whole, and in the end what became of them. -->
<script lang="ts">
  import { Progress } from '@skeletonlabs/skeleton-svelte';
  import type { HandInList } from '$lib/api/client';
  import { texts } from '$lib/words';

  interface Props {
    account: NonNullable<HandInList['account']>;
    showAll: () => void;
  }
  let { account, showAll }: Props = $props();
  const t = texts.handIn.account;
  const done = $derived(account.files - account.waiting);
  const ways = $derived(
    Object.entries(account.sources)
      .map(([source, n]) => `${n} ${t.sources[source] ?? source}`)
      .join(', '),
  );
  let open = $state(false);
</script>

<section class="delivery" aria-label={t.title} role="status">
  <div class="line">
    <strong
      >{account.waiting
        ? t.underWay(done, account.files, account.laps)
        : t.ended(account.files, account.taken, account.laps)}</strong
    >
    <span class="muted">{ways}</span>
    {#if account.not_taken}
      <button type="button" class="may" aria-expanded={open} onclick={() => (open = !open)}
        >{t.notTaken(account.not_taken)}</button
      >
    {/if}
    {#if account.hidden}<button type="button" class="may" onclick={showAll}>{t.hidden(account.hidden)}</button
      >{/if}
    {#if account.laps}<a class="may" href="/paddock">{t.goOn}</a>{/if}
  </div>
  {#if account.waiting}
    <Progress value={Math.round((100 * done) / account.files)}
      ><Progress.Track class="track"><Progress.Range class="range" /></Progress.Track></Progress
    >
  {/if}
  {#if open}
    <ul>
      {#each account.skipped as item (item.id)}<li>
          <strong>{item.file_name}</strong>
          {item.message}
        </li>{/each}
    </ul>
  {/if}
</section>

<style>
  .delivery {
    display: grid;
    gap: 4px;
    padding: 8px 0;
    border-bottom: 1px solid var(--rule);
    font-size: 14px;
  }
  .line {
    display: flex;
    flex-wrap: wrap;
    gap: 4px 14px;
    align-items: center;
    min-height: 34px;
  }
  ul {
    font-size: 13px;
    display: grid;
    gap: 3px;
    padding-bottom: 4px;
  }
</style>
