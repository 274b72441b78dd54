<!-- The recorder of a simulator's stream, with its one switch. -->
<script lang="ts">
  import { createQuery } from '@tanstack/svelte-query';
  import { Switch } from '@skeletonlabs/skeleton-svelte';
  import { api, done } from '$lib/api/client';
  import { keys } from '$lib/api/keys';
  import Trouble from '$lib/parts/Trouble.svelte';
  import { texts } from '$lib/words';
  import { lapTime } from '$lib/quantities/units';

  const t = texts.handIn.stream;
  const stream = createQuery(() => ({
    queryKey: keys.stream(),
    queryFn: () => done(api.GET('/api/stream')),
    refetchInterval: (query) => (query.state.data?.wanted ? 1000 : 15_000),
  }));
  let trouble = $state<unknown>(null);

  async function change(body: { wanted: boolean; driver?: string | null }): Promise<void> {
    trouble = null;
    try {
      await done(api.PATCH('/api/stream', { body }));
    } catch (error) {
      trouble = error;
    }
    await stream.refetch();
  }
</script>

{#if stream.data?.available}
  {@const data = stream.data}
  <section>
    <h2>{t.title}</h2>
    <div class="row">
      <Switch
        checked={data.wanted}
        onCheckedChange={(details) => change({ wanted: details.checked })}
        class="switch"
      >
        <Switch.Control class="toggle"><Switch.Thumb class="knob" /></Switch.Control>
        <Switch.Label>{t.on}</Switch.Label>
        <Switch.HiddenInput />
      </Switch>
      <span class="muted hint">{t.port(data.port)}</span>
    </div>
    {#if trouble}<Trouble error={trouble} />{/if}
    {#if data.wanted}
      <p class:loss={data.state === 'trouble'} role="status" class="hint">
        {t.states[data.state]}{#if data.message}: {data.message}{/if}
        {#if data.packets && data.lost}<span class="muted">
            · {t.lost(data.lost, data.packets + data.lost)}</span
          >{/if}
      </p>
      {@const timed = data.laps.filter((lap) => lap.time_s !== null)}
      {#if timed.length}
        <p class="hint figure">
          {timed
            .slice(-4)
            .map((lap) => t.lap(lap.number, lapTime(lap.time_s)))
            .join(', ')}
        </p>
      {/if}
      <label class="drove"
        ><span class="muted hint">{t.driver}</span><input
          class="input"
          list="drivers"
          maxlength="200"
          placeholder={t.fromStream}
          value={data.driver ?? ''}
          onchange={(e) => change({ wanted: true, driver: e.currentTarget.value.trim() || null })}
        /></label
      >
    {/if}
  </section>
{/if}

<style>
  .row {
    display: flex;
    justify-content: space-between;
    align-items: center;
    min-height: 32px;
    gap: 8px;
  }
  .row :global(.switch) {
    display: flex;
    gap: 8px;
    align-items: center;
  }
  .hint {
    font-size: 12.5px;
  }
  .drove {
    display: flex;
    gap: 8px;
    align-items: center;
    margin-top: 4px;
  }
  .drove .input {
    flex: 1;
    min-width: 0;
    padding: 3px 8px;
  }
</style>
