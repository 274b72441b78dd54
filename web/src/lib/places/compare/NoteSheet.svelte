<!-- Notes: written on what is on show, found again, changed, shared, removed. -->
<script lang="ts">
  import { createQuery, keepPreviousData, useQueryClient } from '@tanstack/svelte-query';
  import { Eye, EyeOff, MapPin, Pencil, X } from '@lucide/svelte';
  import { api, done, type DeskNote } from '$lib/api/client';
  import { keys } from '$lib/api/keys';
  import { called } from '$lib/desk/called';
  import type { Desk } from '$lib/desk/desk.svelte';
  import { noteUndo, sendUnlessChanged } from '$lib/parts/notes.svelte';
  import { Doing } from '$lib/parts/doing.svelte';
  import Sheet from '$lib/parts/Sheet.svelte';
  import Trouble from '$lib/parts/Trouble.svelte';
  import { day } from '$lib/quantities/dates.svelte';
  import { figure, unitOf } from '$lib/quantities/units';
  import { present } from '$lib/session/present.svelte';
  import { texts } from '$lib/words';

  let { desk, open = $bindable() }: { desk: Desk; open: boolean } = $props();

  const t = texts.compare.notes;
  const client = useQueryClient();
  const MOST = 2000;
  /** What is typed rests so long before it is looked for. */
  const REST_MS = 250;
  type Choice = DeskNote['pin'] | 'here';

  let text = $state('');
  let shared = $state(false);
  let pin = $state<Choice>('place');
  let typed = $state('');
  let find = $state('');
  let everywhere = $state(false);
  let changing = $state<number | null>(null);
  let other = $state('');

  $effect(() => {
    const wanted = typed;
    const later = setTimeout(() => (find = wanted.trim()), REST_MS);
    return () => clearTimeout(later);
  });

  const writes = $derived(['owner', 'coach', 'assistant'].includes(present.me?.role ?? ''));
  const layout = $derived(desk.lineUp?.layout.id ?? 0);
  const version = $derived(desk.lineUp?.version ?? 1);
  const found = createQuery(() => ({
    queryKey: keys.notes(layout, version, everywhere ? 'all' : desk.runs, find),
    queryFn: ({ signal }) => {
      const query = everywhere ? { find } : { layout, version, runs: desk.runs, find };
      return done(api.GET('/api/notes', { params: { query }, signal }));
    },
    enabled: open && layout > 0,
    placeholderData: keepPreviousData,
  }));
  const rows = $derived(found.data?.notes ?? []);
  const distance = $derived(unitOf('distance', present.units));
  const place = $derived(desk.cursor ?? desk.part?.from ?? null);
  const lap = $derived(desk.chosenLap && !desk.chosenLap.made ? desk.chosenLap : null);
  /** What a note can be pinned to now, in words. */
  const choices = $derived.by<[Choice, string][]>(() => {
    const list: [Choice, string][] = [];
    const at = place === null ? '' : `${figure(place, distance)} ${distance.label}`;
    if (place !== null) list.push(['place', t.pins.place(at)]);
    if (place !== null && lap) list.push(['here', t.pins.here(at, called(lap).name, called(lap).nth)]);
    if (lap) {
      list.push(['lap', t.pins.lap(called(lap).name, called(lap).nth)]);
      list.push(['run', t.pins.run(called(lap).name)]);
      list.push(['driver', t.pins.driver(called(lap).name)]);
      if (lap.car) list.push(['car', t.pins.car(lap.car)]);
      list.push(['tyres', t.pins.tyres(called(lap).name)]);
    }
    list.push(['circuit', t.pins.circuit(desk.lineUp?.event.circuit ?? '')]);
    return list;
  });
  const chosen = $derived<Choice>(
    choices.some(([code]) => code === pin) ? pin : (choices[0]?.[0] ?? 'circuit'),
  );

  const again = (): Promise<void> => client.invalidateQueries({ queryKey: keys.anyNotes() });
  const of = (row: DeskNote) => ({ path: { note_id: row.id } });

  const doing = new Doing(again);

  const write = (submitted: Event): Promise<void> => {
    submitted.preventDefault();
    return doing.do(async () => {
      const onGround = ['place', 'here', 'circuit'].includes(chosen);
      await done(
        api.POST('/api/notes', {
          body: {
            pin: chosen === 'here' ? 'place' : chosen,
            text,
            shared,
            layout: onGround ? layout : null,
            version: onGround ? version : null,
            at_m: chosen === 'place' || chosen === 'here' ? place : null,
            lap: chosen === 'place' || chosen === 'circuit' ? null : (lap?.key ?? null),
          },
        }),
      );
      text = '';
    });
  };

  const change = (submitted: Event, row: DeskNote): Promise<void> => {
    submitted.preventDefault();
    return doing.do(async () => {
      const text = other;
      const send = (insisting: boolean) =>
        done(
          api.PATCH('/api/notes/{note_id}', {
            params: of(row),
            body: { text, was: insisting ? null : row.text },
          }),
        );
      // What another person wrote lies with the way to keep one's own outside of the dialog.
      if (await sendUnlessChanged(send, again)) changing = null;
      else open = false;
    });
  };

  const share = (row: DeskNote): Promise<void> =>
    doing.do(async () => {
      await done(api.PATCH('/api/notes/{note_id}', { params: of(row), body: { shared: !row.shared } }));
    });

  const remove = (row: DeskNote): Promise<void> =>
    doing.do(async () => {
      await done(api.PATCH('/api/notes/{note_id}', { params: of(row), body: { removed: true } }));
      // The note with its way back lies outside of the dialog.
      open = false;
      noteUndo(t.removed, async () => {
        await done(api.PATCH('/api/notes/{note_id}', { params: of(row), body: { removed: false } }));
        await again();
      });
    });

  function show(row: DeskNote): void {
    if (row.lap && desk.laps.some((one) => one.key === row.lap)) desk.chosen = row.lap;
    if (row.at_m !== null) desk.look(row.at_m);
    open = false;
  }
  const canShow = (row: DeskNote): boolean =>
    row.at_m !== null || (row.lap !== null && desk.laps.some((one) => one.key === row.lap));
</script>

<Sheet bind:open title={t.title}>
  {#if doing.trouble}<Trouble error={doing.trouble} />{/if}
  {#if writes}
    <form class="write" onsubmit={(submitted) => void write(submitted)}>
      <textarea
        class="input"
        rows="3"
        maxlength={MOST}
        aria-label={t.text}
        placeholder={t.text}
        bind:value={text}></textarea>
      <div class="row">
        <label
          >{t.pinned}
          <select
            class="select"
            value={chosen}
            onchange={(event) => (pin = event.currentTarget.value as Choice)}
          >
            {#each choices as [code, label] (code)}<option value={code}>{label}</option>{/each}
          </select></label
        >
        <label title={t.sharedHint}><input type="checkbox" bind:checked={shared} /> {t.shared}</label>
        <button type="submit" class="do" disabled={!text.trim()}>{t.write}</button>
      </div>
    </form>
  {/if}
  <div class="row">
    <input class="input find" type="search" aria-label={t.find} placeholder={t.find} bind:value={typed} />
    <label><input type="checkbox" bind:checked={everywhere} /> {t.everywhere}</label>
  </div>
  {#if found.error}<Trouble error={found.error} again={() => void found.refetch()} />{/if}
  {#if found.data && !rows.length}<p class="muted">{find ? t.noneFits(find) : t.none}</p>{/if}
  <ul>
    {#each rows as row (row.id)}
      <li
        class:told={row.id === desk.told}
        {@attach (node) => {
          if (row.id === desk.told) node.scrollIntoView({ block: 'nearest' });
        }}
      >
        {#if changing === row.id}
          <form class="write" onsubmit={(submitted) => void change(submitted, row)}>
            <textarea class="input" rows="3" maxlength={MOST} aria-label={t.text} bind:value={other}
            ></textarea>
            <div class="row">
              <button type="submit" class="do" disabled={!other.trim()}>{t.keep}</button>
              <button type="button" class="may" onclick={() => (changing = null)}>{texts.cancel}</button>
            </div>
          </form>
        {:else}
          <p class="text">{row.text}</p>
          <div class="row about muted">
            <span
              >{[
                row.about,
                row.at_m === null ? '' : `${figure(row.at_m, distance)} ${distance.label}`,
                row.author,
                day(row.written_at.slice(0, 10)),
                row.changed_at ? t.changed : '',
                row.shared ? t.isShared : '',
              ]
                .filter(Boolean)
                .join(', ')}</span
            >
            <span class="grow"></span>
            {#if canShow(row)}
              <button
                type="button"
                class="tool"
                aria-label="{t.show}: {row.text.slice(0, 60)}"
                title={t.show}
                onclick={() => show(row)}><MapPin size={14} /></button
              >
            {/if}
            {#if row.yours}
              <button
                type="button"
                class="tool"
                aria-label="{row.shared ? t.unshare : t.share}: {row.text.slice(0, 60)}"
                title={row.shared ? t.unshare : t.share}
                onclick={() => void share(row)}
                >{#if row.shared}<Eye size={14} />{:else}<EyeOff size={14} />{/if}</button
              >
              <button
                type="button"
                class="tool"
                aria-label="{t.change}: {row.text.slice(0, 60)}"
                title={t.change}
                onclick={() => {
                  changing = row.id;
                  other = row.text;
                }}><Pencil size={14} /></button
              >
              <button
                type="button"
                class="tool"
                aria-label="{t.remove}: {row.text.slice(0, 60)}"
                title={t.remove}
                onclick={() => void remove(row)}><X size={14} /></button
              >
            {/if}
          </div>
        {/if}
      </li>
    {/each}
  </ul>
  {#if found.data?.more}<p class="muted">{t.more}</p>{/if}
</Sheet>

<style>
  .write {
    display: grid;
    gap: 6px;
    margin-bottom: 10px;
  }
  textarea {
    width: 100%;
    padding: 6px 8px;
    resize: vertical;
  }
  .row {
    display: flex;
    flex-wrap: wrap;
    gap: 6px 12px;
    align-items: center;
    font-size: 13px;
  }
  .row label {
    display: inline-flex;
    gap: 6px;
    align-items: center;
    min-height: 24px;
  }
  .row .select {
    width: auto;
    max-width: 300px;
    padding: 0 26px 0 8px;
    font-size: 13px;
  }
  .find {
    flex: 1;
    min-width: 180px;
    padding: 0 8px;
  }
  ul {
    margin-top: 8px;
  }
  li {
    padding: 6px 4px;
    border-top: 1px solid var(--rule);
  }
  .told {
    background: var(--strip);
  }
  .text {
    white-space: pre-wrap;
    overflow-wrap: anywhere;
  }
  .about {
    font-size: 12px;
    overflow-wrap: anywhere;
  }
  .grow {
    flex: 1;
  }
</style>
