<script lang="ts">
  import { createQuery, useQueryClient } from '@tanstack/svelte-query';
  import { FileUpload, Progress } from '@skeletonlabs/skeleton-svelte';
  import { FileUp, X } from '@lucide/svelte';
  import { api, done, type HandIn } from '$lib/api/client';
  import Book from '$lib/parts/Book.svelte';
  import Trouble from '$lib/parts/Trouble.svelte';
  import { sendFile, type Sending } from '$lib/sending.svelte';
  import { texts } from '$lib/texts';
  import { fileSize, lapTime } from '$lib/units';

  const t = texts.handIn;
  const queries = useQueryClient();
  const list = createQuery(() => ({
    queryKey: ['hand-ins'],
    queryFn: () => done(api.GET('/api/hand-ins')),
    refetchInterval: (query) =>
      query.state.data?.hand_ins.some((item) => item.state === 'waiting' || item.state === 'running')
        ? 400
        : 8_000,
  }));
  const drivers = $derived(list.data?.drivers ?? []);

  let driver = $state('');
  let sending = $state<Sending[]>([]);
  let trouble = $state<unknown>(null);
  let opened = $state<number[]>([]);

  async function take(files: File[]): Promise<void> {
    // One after the other: a slow line then has whole files sooner, and the order stays that of the drop.
    const batch = files.map((file) => sendFile(file, driver.trim()));
    sending = [...batch, ...sending];
    for (const item of batch) {
      await item.start();
      await list.refetch();
      if (!item.error) sending = sending.filter((other) => other.id !== item.id);
    }
    await queries.invalidateQueries({ queryKey: ['paddock'] });
  }

  async function attempt(work: () => Promise<unknown>): Promise<void> {
    trouble = null;
    try {
      await work();
    } catch (error) {
      trouble = error;
    }
    await list.refetch();
    await queries.invalidateQueries({ queryKey: ['paddock'] });
  }

  const cancel = (id: number) =>
    attempt(() =>
      done(api.POST('/api/hand-ins/{hand_in_id}/cancel', { params: { path: { hand_in_id: id } } })),
    );
  const dismiss = (id: number) =>
    attempt(() => done(api.DELETE('/api/hand-ins/{hand_in_id}', { params: { path: { hand_in_id: id } } })));

  async function drove(item: HandIn, name: string): Promise<void> {
    if (!item.run || !name.trim() || name.trim() === item.run.run.driver.name) return;
    const run_id = item.run.run.id;
    await attempt(() =>
      done(api.PATCH('/api/runs/{run_id}', { params: { path: { run_id } }, body: { driver: name.trim() } })),
    );
  }

  /** Laps of a run by kind, in words. */
  function lapsOf(item: HandIn): string {
    const laps = item.run?.laps ?? [];
    const timed = laps.filter((lap) => lap.kind === 'timed');
    const others: Record<string, number> = {};
    for (const lap of laps) if (lap.set_aside) others[lap.set_aside] = (others[lap.set_aside] ?? 0) + 1;
    const rest = Object.entries(others).map(([kind, n]) => `${n} ${t.kinds[kind] ?? kind}`);
    return t.lapsLine(timed.length, rest.length ? ` (${rest.join(', ')})` : '');
  }
</script>

<svelte:head><title>{t.title} · {texts.name}</title></svelte:head>

<Book>
  {#snippet left()}
    <h1>{t.title}</h1>
    <label class="label driver">
      <span>{t.driver}</span>
      <input class="input" list="drivers" placeholder={t.fromFile} maxlength="200" bind:value={driver} />
      <span class="muted hint">{t.driverHint}</span>
    </label>
    <datalist id="drivers"
      >{#each drivers as item (item.id)}<option value={item.name}></option>{/each}</datalist
    >
    <!-- Nothing is kept in the box: what was accepted is sent at once, and must not be sent again. -->
    <FileUpload acceptedFiles={[]} maxFiles={200} onFileAccept={(details) => void take(details.files)}>
      <FileUpload.Dropzone class="drop">
        <FileUp size={26} aria-hidden="true" />
        <strong>{t.drop}</strong>
        <span class="muted hint">{t.dropMore}</span>
        <FileUpload.Trigger class="do">{t.choose}</FileUpload.Trigger>
        <FileUpload.HiddenInput />
      </FileUpload.Dropzone>
    </FileUpload>
  {/snippet}

  {#if trouble}<Trouble error={trouble} />{/if}
  {#if list.error}
    <Trouble error={list.error} again={() => void list.refetch()} />
  {:else if !list.data}
    <p class="muted">{texts.loading}</p>
  {:else}
    <ul class="files" aria-live="polite">
      {#each sending as item (item.id)}
        <li>
          <div class="line">
            <strong class="file">{item.name}</strong>
            {#if item.error}
              <span class="loss">{t.failed}</span>
              <button
                type="button"
                class="icon"
                title={t.dismiss}
                aria-label={t.dismiss}
                onclick={() => (sending = sending.filter((other) => other.id !== item.id))}
                ><X size={16} /></button
              >
            {:else}
              <span class="muted">{t.sending(item.share)}</span>
              <button type="button" class="may" onclick={() => item.stop()}>{t.cancel}</button>
            {/if}
          </div>
          {#if item.error}<p>{item.error}</p>{:else}
            <Progress value={Math.round(item.share * 100)}
              ><Progress.Track class="track"><Progress.Range class="range" /></Progress.Track></Progress
            >
          {/if}
        </li>
      {/each}
      {#each list.data.hand_ins as item (item.id)}
        {@const busy = item.state === 'waiting' || item.state === 'running'}
        <li class:bad={item.state === 'refused' || item.state === 'failed'}>
          <div class="line">
            <strong class="file" title={item.file_name}>{item.file_name}</strong>
            <span class="muted figure">{fileSize(item.size)}</span>
            {#if busy}
              <span class="muted">{t.steps[item.step] ?? t.steps.waiting} …</span>
              <button type="button" class="may" onclick={() => cancel(item.id)}>{t.cancel}</button>
            {:else}
              <span
                class:loss={item.state === 'refused' || item.state === 'failed'}
                class:gain={item.state === 'taken'}
                >{t[item.state as 'taken' | 'refused' | 'failed' | 'cancelled']}</span
              >
              <button
                type="button"
                class="icon"
                title={t.dismiss}
                aria-label="{t.dismiss}: {item.file_name}"
                onclick={() => dismiss(item.id)}><X size={16} /></button
              >
            {/if}
          </div>
          {#if busy}
            <Progress value={Math.round(item.progress * 100)}
              ><Progress.Track class="track"><Progress.Range class="range" /></Progress.Track></Progress
            >
          {:else if item.run}
            {@const run = item.run}
            {@const best = run.laps.find((lap) => lap.number === run.run.best_lap)}
            <div class="fate">
              <label class="drove"
                ><span class="muted">{t.drove}</span>
                <input
                  class="input"
                  list="drivers"
                  maxlength="200"
                  value={run.run.driver.name}
                  onchange={(e) => void drove(item, e.currentTarget.value)}
                /></label
              >
              <span>{run.event.circuit}{run.run.car ? `, ${run.run.car}` : ''}</span>
              <span
                >{lapsOf(item)}{#if best}, {t.best(lapTime(best.time_s))}{/if}</span
              >
              {#if run.run.best_s !== null}<a class="may" href="/compare?run={run.run.id}">{t.compare}</a
                >{/if}
              <button
                type="button"
                class="may"
                aria-expanded={opened.includes(item.id)}
                onclick={() =>
                  (opened = opened.includes(item.id)
                    ? opened.filter((id) => id !== item.id)
                    : [...opened, item.id])}>{t.showChannels} ({run.channels.length})</button
              >
            </div>
            {#each run.warnings as warning (warning.code + warning.message)}<p class="muted warn">
                {warning.message}
              </p>{/each}
            {#if opened.includes(item.id)}
              <table>
                <thead
                  ><tr><th>{t.channel}</th><th>{t.role}</th><th>{t.unit}</th><th class="num">{t.rate}</th></tr
                  ></thead
                >
                <tbody>
                  {#each run.channels as channel (channel.name)}
                    <tr
                      ><td>{channel.name}</td><td>{channel.role_name ?? t.noRole}</td><td class="figure"
                        >{channel.unit}</td
                      ><td class="figure num">{channel.rate_hz.toFixed(channel.rate_hz < 10 ? 1 : 0)}</td></tr
                    >
                  {/each}
                </tbody>
              </table>
            {/if}
          {/if}
          {#if item.message}<p>{item.message}</p>{/if}
        </li>
      {:else}
        {#if !sending.length}
          <li class="none">
            <strong>{t.emptyTitle}</strong>
            <p class="muted">{t.empty}</p>
          </li>
        {/if}
      {/each}
    </ul>
  {/if}
</Book>

<style>
  h1 {
    font-size: 20px;
    font-weight: 640;
    margin: 18px 0 10px;
  }
  .driver {
    display: grid;
    gap: 4px;
    margin-bottom: 16px;
    font-weight: 520;
  }
  .hint {
    font-size: 12.5px;
    font-weight: 400;
  }
  :global(.drop) {
    display: grid;
    justify-items: center;
    text-align: center;
    gap: 8px;
    padding: 28px 18px;
    border: 1.5px dashed var(--muted);
    border-radius: 6px;
    background: var(--paper);
  }
  :global(.drop[data-dragging]) {
    border-color: var(--accent);
    background: var(--stretch);
  }
  .files {
    display: grid;
    grid-template-columns: minmax(0, 1fr);
    padding-bottom: 30px;
  }
  .files > li {
    min-width: 0;
    padding: 11px 0;
    border-bottom: 1px solid var(--rule);
    display: grid;
    gap: 6px;
  }
  .files > .bad {
    box-shadow: inset 3px 0 0 var(--loss);
    padding-left: 12px;
  }
  .line,
  .fate {
    display: flex;
    align-items: center;
    gap: 14px;
    flex-wrap: wrap;
    min-height: 32px;
  }
  .file {
    flex: 1;
    min-width: 120px;
    overflow: hidden;
    text-overflow: ellipsis;
    white-space: nowrap;
    font-weight: 560;
  }
  .drove {
    display: flex;
    gap: 8px;
    align-items: center;
  }
  .drove .input {
    width: 150px;
    padding: 3px 8px;
    height: 32px;
  }
  .icon {
    width: 32px;
    height: 32px;
    display: grid;
    place-items: center;
    border-radius: 5px;
    cursor: pointer;
  }
  .icon:hover {
    background: var(--strip);
  }
  .warn {
    font-size: 13px;
  }
  :global(.track) {
    height: 5px;
    border-radius: 3px;
    background: var(--strip);
    overflow: hidden;
  }
  :global(.range) {
    height: 100%;
    background: var(--accent);
  }
  table {
    font-size: 13px;
    border-collapse: collapse;
    width: fit-content;
  }
  th {
    text-align: left;
    color: var(--muted);
    font-weight: 500;
  }
  th,
  td {
    padding: 2px 24px 2px 0;
  }
  .num {
    text-align: right;
  }
  .none {
    padding: 60px 0 !important;
    border: 0 !important;
  }
</style>
