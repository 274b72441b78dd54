<!-- A fourth cue: which of the three is left for it. -->
<script lang="ts">
  import { createQuery } from '@tanstack/svelte-query';
  import { api, done } from '$lib/api/client';
  import { keys } from '$lib/api/keys';
  import Sheet from '$lib/parts/Sheet.svelte';
  import type { Preparing } from '$lib/places/debrief/preparing.svelte';
  import { say } from '$lib/quantities/said';
  import { present } from '$lib/session/present.svelte';
  import { texts } from '$lib/words';

  let { preparing }: { preparing: Preparing } = $props();
  const t = texts.debrief;
  const run = $derived(preparing.waiting?.run ?? 0);
  const found = createQuery(() => ({
    queryKey: keys.prepare(run),
    queryFn: () => done(api.GET('/api/debriefs/runs/{run_id}', { params: { path: { run_id: run } } })),
    enabled: run > 0,
  }));
  const cues = $derived((found.data?.debrief?.cues ?? []).filter((cue) => cue.kind === 'cue'));

  function leave(id: number): void {
    if (preparing.waiting) void preparing.ask({ ...preparing.waiting, leave: id });
  }
</script>

<Sheet
  bind:open={
    () => preparing.waiting !== null,
    (is) => {
      if (!is) preparing.waiting = null;
    }
  }
  title={t.leaveTitle}
>
  <p>{t.leaveLead}</p>
  <ul>
    {#each cues as cue (cue.id)}
      <li>
        <button type="button" class="may" onclick={() => leave(cue.id)}
          >{cue.text ?? say(cue.says, present.units)}</button
        >
      </li>
    {/each}
  </ul>
</Sheet>

<style>
  ul {
    display: grid;
    gap: 8px;
    margin-top: 12px;
  }
  .may {
    width: 100%;
    text-align: left;
    overflow-wrap: anywhere;
  }
</style>
