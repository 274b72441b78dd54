<!-- Loggers on the network that the administrator allowed. -->
<script lang="ts">
  import { createQuery } from '@tanstack/svelte-query';
  import { api, done } from '$lib/api/client';
  import { keys } from '$lib/api/keys';
  import Trouble from '$lib/parts/Trouble.svelte';
  import { texts } from '$lib/words';
  import { fileSize } from '$lib/quantities/units';

  interface Props {
    driver: string;
    fetched: () => void;
  }
  let { driver, fetched }: Props = $props();
  const t = texts.handIn.loggers;
  // Asking a device takes time and power: only when somebody wants it.
  let asked = $state(false);
  const loggers = createQuery(() => ({
    queryKey: keys.loggers(),
    queryFn: () => done(api.GET('/api/loggers')),
    enabled: asked,
    retry: false,
  }));
  let chosen = $state<Record<string, string[]>>({});
  let trouble = $state<unknown>(null);

  async function fetchRuns(logger: string): Promise<void> {
    trouble = null;
    try {
      await done(
        api.POST('/api/loggers/fetch', {
          body: { logger, keys: chosen[logger] ?? [], driver: driver.trim() || null },
        }),
      );
      chosen = { ...chosen, [logger]: [] };
      fetched();
    } catch (error) {
      trouble = error;
    }
    await loggers.refetch();
  }

  function toggle(logger: string, key: string, on: boolean): void {
    const own = (chosen[logger] ?? []).filter((item) => item !== key);
    chosen = { ...chosen, [logger]: on ? [...own, key] : own };
  }

  function span(seconds: number): string {
    const s = Math.abs(seconds);
    if (s < 90) return `${Math.round(s)} s`;
    if (s < 5400) return `${Math.round(s / 60)} min`;
    return `${(s / 3600).toFixed(1)} h`;
  }
</script>

<section>
  <div class="top">
    <h2>{t.title}</h2>
    <button type="button" class="may" onclick={() => (asked ? void loggers.refetch() : (asked = true))}
      >{t.list}</button
    >
  </div>
  {#if trouble ?? loggers.error}<Trouble error={trouble ?? loggers.error} />{/if}
  {#if asked && loggers.isFetching}<p class="muted hint" role="status">{t.asking}</p>{/if}
  {#if loggers.data && !loggers.data.loggers.length}<p class="muted hint">{t.none}</p>{/if}
  {#each loggers.data?.loggers ?? [] as logger (logger.name)}
    <h3>{logger.name}</h3>
    {#if logger.trouble}
      <p class="loss hint">{logger.trouble}</p>
    {:else}
      {#if logger.clock_off_s !== null && Math.abs(logger.clock_off_s) > 30}
        <p class="muted hint">
          {logger.clock_off_s > 0 ? t.ahead(span(logger.clock_off_s)) : t.behind(span(logger.clock_off_s))}
        </p>
      {/if}
      <ul>
        {#each logger.runs as run (run.key)}
          <li>
            <label
              ><input
                type="checkbox"
                disabled={run.fetched}
                checked={(chosen[logger.name] ?? []).includes(run.key)}
                onchange={(e) => toggle(logger.name, run.key, e.currentTarget.checked)}
              /><span class="name" title={run.name}>{run.name}</span></label
            >
            <span class="muted hint">{run.fetched ? t.fetched : fileSize(run.size)}</span>
          </li>
        {:else}<li class="muted hint">{t.empty}</li>{/each}
      </ul>
      {#if (chosen[logger.name] ?? []).length}
        <button type="button" class="do" onclick={() => fetchRuns(logger.name)}
          >{t.fetch((chosen[logger.name] ?? []).length)}</button
        >
      {/if}
    {/if}
  {/each}
</section>

<style>
  .top {
    display: flex;
    justify-content: space-between;
    align-items: center;
    gap: 8px;
  }
  h3 {
    font-weight: 560;
    margin-top: 6px;
  }
  .hint {
    font-size: 12.5px;
  }
  ul {
    margin-bottom: 6px;
  }
  li {
    display: flex;
    justify-content: space-between;
    gap: 8px;
    align-items: center;
    min-height: 32px;
  }
  label {
    display: flex;
    gap: 8px;
    align-items: center;
    min-width: 0;
  }
  .name {
    overflow: hidden;
    text-overflow: ellipsis;
    white-space: nowrap;
  }
</style>
