<!-- What a driver was given, and what they say of their run; by the personal link or with an account. -->
<script lang="ts">
  import { createQuery, useQueryClient } from '@tanstack/svelte-query';
  import { FileDown } from '@lucide/svelte';
  import { api, done, type SheetPiece } from '$lib/api/client';
  import { keys } from '$lib/api/keys';
  import { Doing } from '$lib/parts/doing.svelte';
  import Trouble from '$lib/parts/Trouble.svelte';
  import SheetView from '$lib/places/debrief/SheetView.svelte';
  import VoicePanel from '$lib/places/debrief/VoicePanel.svelte';
  import { onPhone } from '$lib/places/debrief/units.svelte';
  import { present } from '$lib/session/present.svelte';
  import { texts } from '$lib/words';

  /** the secret part of a personal link; empty for whoever is signed in */
  let { token = '' }: { token?: string } = $props();

  const t = texts.debrief;
  const LOOK_MS = 20_000;
  const client = useQueryClient();
  const own = createQuery(() => ({
    queryKey: keys.ownDebriefs(token),
    queryFn: () =>
      token
        ? done(api.GET('/api/link/{token}/debriefs', { params: { path: { token } } }))
        : done(api.GET('/api/own-debriefs')),
    refetchInterval: LOOK_MS,
  }));
  // Whoever has no account chooses units on the phone itself.
  const units = $derived(token ? onPhone.units : present.units);
  let chosen = $state<number | null>(null);
  const shown = $derived(chosen ?? own.data?.sheets[0]?.id ?? null);
  const sheet = createQuery(() => ({
    queryKey: keys.debriefSheet(shown ?? 0, `${units}${token}`),
    queryFn: () => {
      const query = { units };
      const id = shown ?? 0;
      return token
        ? done(
            api.GET('/api/link/{token}/debriefs/{debrief_id}', {
              params: { path: { token, debrief_id: id }, query },
            }),
          )
        : done(api.GET('/api/debriefs/{debrief_id}/sheet', { params: { path: { debrief_id: id }, query } }));
    },
    enabled: shown !== null,
    refetchInterval: LOOK_MS,
  }));
  const file = (format: string): string =>
    `${token ? `/api/link/${encodeURIComponent(token)}/debriefs/${shown ?? 0}` : `/api/debriefs/${shown ?? 0}/sheet`}/file?format=${format}&units=${units}`;

  const again = (): Promise<void> => client.invalidateQueries({ queryKey: keys.anyDebrief() });
  const doing = new Doing(again);
  const ANSWERS = ['understood', 'tried', 'unsafe'] as const;

  const answer = (piece: SheetPiece, word: (typeof ANSWERS)[number]): Promise<void> =>
    doing.do(async () => {
      const body = { [word]: !piece[word] };
      await (token
        ? done(
            api.POST('/api/link/{token}/cues/{cue_id}/answer', {
              params: { path: { token, cue_id: piece.id } },
              body,
            }),
          )
        : done(api.POST('/api/cues/{cue_id}/answer', { params: { path: { cue_id: piece.id } }, body })));
    });
</script>

{#snippet about(piece: SheetPiece)}
  {#if piece.kind === 'cue'}
    <div class="answers">
      {#each ANSWERS as word (word)}
        <button
          type="button"
          class="may"
          aria-pressed={piece[word] ?? false}
          onclick={() => void answer(piece, word)}>{t.cueAnswers[word]}</button
        >
      {/each}
    </div>
  {/if}
{/snippet}

{#if own.error && !own.data}
  <Trouble error={own.error} again={() => void own.refetch()} />
{:else if own.data}
  {#if doing.trouble}<Trouble error={doing.trouble} />{/if}
  {#if own.data.latest}
    <VoicePanel run={own.data.latest} {token} {again} />
  {/if}
  <section aria-label={t.yours}>
    <h2>{t.yours}</h2>
    {#if !own.data.sheets.length}<p class="muted">{t.nothingGiven}</p>{/if}
    {#if own.data.sheets.length > 1}
      <select
        class="select"
        aria-label={t.yours}
        value={String(shown)}
        onchange={(changed) => (chosen = Number(changed.currentTarget.value))}
      >
        {#each own.data.sheets as one (one.id)}<option value={String(one.id)}>{one.title}</option>{/each}
      </select>
    {/if}
    {#if sheet.error && !sheet.data}<Trouble error={sheet.error} again={() => void sheet.refetch()} />{/if}
    {#if shown !== null && sheet.data}
      {#if token}
        <label class="units"
          >{t.units}
          <select
            class="select"
            value={units}
            onchange={(changed) => onPhone.choose(changed.currentTarget.value)}
          >
            <option value="metric">{t.metric}</option>
            <option value="imperial">{t.imperial}</option>
          </select></label
        >
      {/if}
      <SheetView sheet={sheet.data} {about} />
      <div class="acts">
        <a class="may" href={file('html')} download><FileDown size={16} aria-hidden="true" />{t.keepFile}</a>
        <a class="may" href={file('pdf')} download><FileDown size={16} aria-hidden="true" />{t.keepPaper}</a>
      </div>
    {/if}
  </section>
{/if}

<style>
  section {
    padding: 6px 0 18px;
  }
  h2 {
    font-size: 1.1em;
    font-weight: 640;
    margin-bottom: 6px;
  }
  .select {
    width: 100%;
    min-height: 44px;
    margin-bottom: 10px;
    padding: 0 30px 0 10px;
  }
  .units {
    display: flex;
    flex-wrap: wrap;
    align-items: center;
    gap: 10px;
    font-size: 13px;
  }
  .units .select {
    width: auto;
    max-width: 100%;
    margin: 0;
  }
  .answers,
  .acts {
    display: flex;
    flex-wrap: wrap;
    gap: 8px;
    margin-top: 8px;
  }
  .answers .may,
  .acts .may {
    min-height: 44px;
  }
  .answers .may[aria-pressed='true'] {
    border-color: var(--ink);
    font-weight: 640;
    box-shadow: inset 0 -3px 0 var(--brass);
  }
</style>
