<!-- What is in this debrief: keeps first, then cues, as the driver reads them; given with one key. -->
<script lang="ts">
  import { ArrowUp, FileDown, Maximize2, Pencil, Send, X } from '@lucide/svelte';
  import { api, done, type Cue, type Prepared } from '$lib/api/client';
  import CueEditor from '$lib/places/debrief/CueEditor.svelte';
  import WayToDriver from '$lib/places/debrief/WayToDriver.svelte';
  import { targetText, worthText } from '$lib/places/debrief/targets';
  import type { Preparing } from '$lib/places/debrief/preparing.svelte';
  import { say } from '$lib/quantities/said';

  import { present } from '$lib/session/present.svelte';
  import { texts } from '$lib/words';

  let { data, preparing, leads }: { data: Prepared; preparing: Preparing; leads: boolean } = $props();

  const t = texts.debrief;
  const debrief = $derived(data.debrief);
  const rows = $derived(debrief?.cues ?? []);
  const cues = $derived(rows.filter((row) => row.kind === 'cue'));
  let editing = $state.raw<Cue | null>(null);
  const file = (format: string): string =>
    `/api/debriefs/${debrief?.id ?? 0}/sheet/file?format=${format}&units=${present.units}`;
  const mayGive = $derived(Boolean(debrief && rows.length && (!debrief.given_at || debrief.changed)));

  function give(): void {
    if (debrief && mayGive && leads) void preparing.give(debrief, true);
  }
  function onkey(event: KeyboardEvent): void {
    if (event.key !== 'e' || event.ctrlKey || event.metaKey || event.altKey) return;
    if (!(present.me?.shortcuts ?? true)) return;
    const target = event.target as HTMLElement | null;
    if (target?.closest('input, select, textarea, [role=dialog], [role=menu]')) return;
    event.preventDefault();
    give();
  }

  let trouble = $state<unknown>(null);
  async function agree(answer: boolean): Promise<void> {
    trouble = null;
    try {
      const params = { path: { driver_id: data.driver.id } };
      await done(api.PATCH('/api/drivers/{driver_id}', { params, body: { shows_laps: answer } }));
      agreed = answer;
    } catch (error) {
      trouble = error;
    }
  }
  let agreed = $derived(data.shows_laps);
</script>

<svelte:window onkeydown={onkey} />

<aside aria-label={t.inIt}>
  <h2>{t.inIt}</h2>
  {#if !rows.length}<p class="muted">{t.nothingInIt}</p>{/if}
  <ul>
    {#each rows as row, i (row.id)}
      {@const above = rows[i - 1]}
      <li>
        <p class="small muted head">
          <span>{row.kind === 'keep' ? t.keep : t.cue(cues.indexOf(row) + 1)}</span>
          {#if worthText(row, present.units)}<span>{worthText(row, present.units)}</span>{/if}
        </p>
        <p class="words">{row.text ?? say(row.says, present.units)}</p>
        {#if row.kind === 'cue'}
          <p class="small">{t.target}: {targetText(row.target, present.units)}</p>
        {/if}
        {#each ['understood', 'tried', 'unsafe'] as const as word (word)}
          {#if row[word]}<span class="small said">{t.cueSaid[word]}</span>{/if}
        {/each}
        {#if leads}
          <div class="tools">
            {#if above?.kind === row.kind}
              <button
                type="button"
                class="tool"
                title={t.up}
                aria-label="{t.up}: {row.passage}"
                onclick={() => void preparing.up(row, above)}><ArrowUp size={15} /></button
              >
            {/if}
            <button
              type="button"
              class="tool"
              title={t.edit}
              aria-label="{t.edit}: {row.passage}"
              onclick={() => (editing = row)}><Pencil size={15} /></button
            >
            <button
              type="button"
              class="tool"
              title={t.withdraw}
              aria-label="{t.withdraw}: {row.passage}"
              onclick={() => void preparing.withdraw(row)}><X size={15} /></button
            >
          </div>
        {/if}
      </li>
    {/each}
  </ul>
  {#if cues.length && cues.length === rows.length}<p class="small hint">{t.noKeep}</p>{/if}
  {#if debrief}
    {#if debrief.given_at}
      <p class="small" role="status">
        {debrief.changed ? t.changedSince : debrief.opened_at ? t.opened : t.given}
      </p>
      {#if leads}<WayToDriver driver={data.driver.id} name={data.driver.name} paper={file('pdf')} />{/if}
    {/if}
    <div class="acts">
      {#if leads}
        <button
          type="button"
          class="do"
          title={t.giveHint}
          disabled={!mayGive || preparing.busy}
          onclick={give}
          ><Send size={15} aria-hidden="true" />{debrief.given_at ? t.giveAgain : t.give}</button
        >
      {/if}
      {#if rows.length}
        <a class="may" href="/debrief/sheet?debrief={debrief.id}"
          ><Maximize2 size={15} aria-hidden="true" />{t.show}</a
        >
        <a class="may" href={file('pdf')} download><FileDown size={15} aria-hidden="true" />{t.paper}</a>
        <a class="may" href={file('html')} download><FileDown size={15} aria-hidden="true" />{t.file}</a>
      {/if}
      {#if leads && debrief.given_at}
        <button type="button" class="may" onclick={() => void preparing.give(debrief, false)}
          >{t.takeBack}</button
        >
      {/if}
    </div>
  {/if}
  {#if leads}
    <label class="small consent"
      >{t.consent}
      <select
        class="select"
        value={agreed === null ? '' : String(agreed)}
        onchange={(changed) => void agree(changed.currentTarget.value === 'true')}
      >
        <option value="" disabled>{t.consentAsk}</option>
        <option value="true">{t.consentYes}</option>
        <option value="false">{t.consentNo}</option>
      </select></label
    >
    {#if trouble}<p class="small loss">{trouble instanceof Error ? trouble.message : ''}</p>{/if}
  {/if}
</aside>
{#if editing}<CueEditor cue={editing} {preparing} onclose={() => (editing = null)} />{/if}

<style>
  aside {
    position: sticky;
    top: 0;
    background: var(--sheet);
    border: 1px solid var(--rule);
    border-radius: 5px;
    padding: 4px 14px 14px;
  }
  h2 {
    font-size: 15px;
    font-weight: 640;
    margin: 8px 0 4px;
  }
  li {
    padding: 8px 0;
    border-top: 1px solid var(--rule);
  }
  .head {
    display: flex;
    justify-content: space-between;
    gap: 10px;
  }
  .words {
    font-weight: 560;
    overflow-wrap: anywhere;
  }
  .small {
    font-size: 12.5px;
  }
  .said {
    margin-right: 10px;
    border-bottom: 2px solid var(--brass);
  }
  .hint {
    border-left: 3px solid var(--brass);
    padding-left: 8px;
  }
  .tools {
    display: flex;
    justify-content: flex-end;
  }
  .acts {
    display: flex;
    flex-wrap: wrap;
    gap: 8px;
    margin-top: 10px;
  }
  .consent {
    display: grid;
    gap: 4px;
    margin-top: 16px;
  }
</style>
