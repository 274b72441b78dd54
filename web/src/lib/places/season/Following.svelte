<!-- How far runs and cues are followed, while that goes on; with a way to stop it. -->
<script lang="ts">
  import { useQueryClient } from '@tanstack/svelte-query';
  import { api, done, type FollowState } from '$lib/api/client';
  import { keys } from '$lib/api/keys';
  import Trouble from '$lib/parts/Trouble.svelte';
  import { present } from '$lib/session/present.svelte';
  import { texts } from '$lib/words';

  let { follow }: { follow: FollowState } = $props();

  const t = texts.season;
  const client = useQueryClient();
  let trouble = $state<unknown>(null);
  const may = $derived(present.me?.role === 'owner' || present.me?.role === 'coach');

  async function then(what: () => Promise<unknown>): Promise<void> {
    trouble = null;
    try {
      await what();
    } catch (error) {
      trouble = error;
    }
    await client.invalidateQueries({ queryKey: keys.anySeason() });
  }

  async function stop(): Promise<void> {
    if (follow.job === null) return;
    const params = { path: { job_id: follow.job } };
    await then(() => done(api.POST('/api/jobs/{job_id}/cancel', { params })));
  }

  async function goOn(): Promise<void> {
    await then(() => done(api.POST('/api/season/follow')));
  }
</script>

<p class="follow muted" role="status" class:there={follow.state !== 'ready'}>
  {#if follow.state === 'coming'}{t.following(follow.left)}
    {#if follow.job !== null && may}<button type="button" class="link" onclick={() => void stop()}
        >{t.stop}</button
      >{/if}
  {:else if follow.state !== 'ready'}{follow.state === 'stopped'
      ? t.stopped(follow.left)
      : t.notFollowed(follow.left)}
    {#if may}<button type="button" class="link" onclick={() => void goOn()}>{t.go}</button>{/if}{/if}
</p>

{#if trouble}<Trouble error={trouble} />{/if}

<style>
  .follow {
    font-size: 13px;
    min-height: 0;
  }
  .follow.there {
    padding: 4px 0 8px;
  }
  .link {
    text-decoration: underline;
    cursor: pointer;
    color: var(--ink);
  }
</style>
