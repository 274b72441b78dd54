<!-- The desk: a line-up of laps against a reference, as strips and staves, with the card of a passage or stretch. -->
<script lang="ts">
  import { online } from 'svelte/reactivity/window';
  import { createQuery, keepPreviousData, useQueryClient } from '@tanstack/svelte-query';
  import { ApiProblem } from '$lib/api/client';
  import { registry } from '$lib/quantities/registry.svelte';
  import { askedBy, deskQuery } from '$lib/desk/asking';
  import { Desk } from '$lib/desk/desk.svelte';
  import { actionOf, KEYS } from '$lib/desk/keys';
  import { Playing } from '$lib/desk/playing.svelte';
  import { readPlace, writePlace, type Place } from '$lib/desk/place';
  import { fullRate } from '$lib/draw/colours';
  import Score from '$lib/score/Score.svelte';
  import { addressed, keepAddress } from '$lib/session/address.svelte';
  import { present } from '$lib/session/present.svelte';
  import Book from '$lib/parts/Book.svelte';
  import { adviceOf } from '$lib/places/compare/advice.svelte';
  import { answersOf } from '$lib/places/compare/answers.svelte';
  import DeskBar from '$lib/places/compare/DeskBar.svelte';
  import GroundPanel from '$lib/places/compare/GroundPanel.svelte';
  import KeptLineUps from '$lib/places/compare/KeptLineUps.svelte';
  import LeaveSheet from '$lib/places/debrief/LeaveSheet.svelte';
  import LapChooser from '$lib/places/compare/LapChooser.svelte';
  import LeftPage from '$lib/places/compare/LeftPage.svelte';
  import NoteSheet from '$lib/places/compare/NoteSheet.svelte';
  import PicturePanel from '$lib/places/compare/PicturePanel.svelte';
  import ReferenceSheet from '$lib/places/compare/ReferenceSheet.svelte';
  import StaveSheet from '$lib/places/compare/StaveSheet.svelte';
  import { rememberStaves } from '$lib/places/compare/staves.svelte';
  import Keys from '$lib/parts/Keys.svelte';
  import Trouble from '$lib/parts/Trouble.svelte';
  import { noteUndo } from '$lib/parts/notes.svelte';
  import { chosen as kept } from '$lib/session/chosen.svelte';
  import { texts } from '$lib/words';
  import { day } from '$lib/quantities/dates.svelte';
  import { figure, unitOf } from '$lib/quantities/units';

  const t = texts.compare;
  const RENEWING_MS = 2_000;
  const desk = new Desk();
  const playing = new Playing(desk);
  const first = readPlace(addressed());
  const staves = rememberStaves(desk, first.staves, first.folded);

  let asked = $state.raw(askedBy(first));
  /** what the next line-up shows; null where it goes on with what is on show */
  let wanted: Place | null = first;
  let open = $state<'laps' | 'reference' | 'staves' | 'kept' | 'keys' | 'notes' | null>(null);
  /** Dialogs that were open once: none is made before somebody wants to see it. */
  let made = $state.raw<(typeof open)[]>([]);
  $effect(() => {
    if (open && !made.includes(open)) made = [...made, open];
  });
  const shut = (what: typeof open) => ({
    get open(): boolean {
      return open === what;
    },
    set open(is: boolean) {
      open = is ? what : null;
    },
  });
  const dialogs = {
    laps: shut('laps'),
    reference: shut('reference'),
    staves: shut('staves'),
    kept: shut('kept'),
    keys: shut('keys'),
    notes: shut('notes'),
  };

  const lineUp = createQuery(() => ({
    ...deskQuery(asked),
    placeholderData: keepPreviousData,
    // While newer numbers are coming the old ones are shown, and asked about.
    refetchInterval: (query) => (query.state.data?.renewing ? RENEWING_MS : false),
  }));
  /** the answer that lies on the desk, which may lie in another order by now */
  let laid: unknown = null;
  $effect(() => {
    if (!lineUp.data || lineUp.isPlaceholderData || lineUp.data === laid) return;
    laid = lineUp.data;
    const place = wanted ?? { ...desk.place(), chosen: desk.chosen };
    wanted = null;
    registry.note(lineUp.data.nameless);
    desk.lay(lineUp.data, place);
  });

  /** an address that was sent on an older version of the circuit */
  const old = $derived(
    desk.lineUp && !desk.lineUp.renewing && desk.lineUp.version !== desk.lineUp.present_version
      ? desk.lineUp
      : null,
  );
  const advice = adviceOf(desk, useQueryClient());
  const answers = answersOf(desk, () => void lineUp.refetch());
  const reference = $derived(desk.lineUp?.reference ?? '');
  const rates = $derived(
    desk.shown
      .filter((lap) => lap.key !== reference)
      .flatMap((lap) => desk.curve(lap.key, 'loss_rate') ?? []),
  );
  const full = $derived(desk.full ?? fullRate(rates));

  // While another line-up is on its way, or could not be had, the address of the one on show stays.
  $effect(() => {
    const event = desk.lineUp?.event;
    if (event) kept.take({ event: event.id, layout: event.layout });
  });
  const settled = $derived(desk.lineUp !== null && lineUp.isSuccess && !lineUp.isPlaceholderData);
  keepAddress('/compare', () => (settled ? writePlace(desk.place()) : null), {
    chosen: () => desk.selection(),
    follow: () => {
      const place = readPlace(addressed());
      staves.show(place.staves, place.folded);
      // The same laps, perhaps in another order: nothing has to be asked for.
      const there = desk.laps.map((lap) => lap.key);
      const same =
        [...place.laps].sort().join() === [...there].sort().join() &&
        place.reference === desk.lineUp?.reference;
      const next = askedBy(place);
      if (desk.lineUp && (same || JSON.stringify(next) === JSON.stringify(asked))) {
        desk.lay(desk.lineUp, place);
        return true;
      }
      wanted = place;
      asked = next;
      return false;
    },
  });

  function lay(chosen: string[], newReference: string): void {
    wanted = { ...desk.place(), laps: chosen };
    asked = { laps: chosen.join(','), reference: newReference, run: null, event: null, version: null };
  }

  /** Other laps, with a way back to those that lay there before, and to all that was shown of them. */
  function layOther(chosen: string[], newReference: string): void {
    const before = desk.place();
    if (chosen.join() === before.laps.join() && newReference === before.reference) return;
    lay(chosen, newReference);
    noteUndo(t.laidOut(chosen.length), async () => {
      wanted = before;
      asked = askedBy(before);
    });
  }

  function measureAgainst(key: string): void {
    const there = desk.laps.map((lap) => lap.key);
    lay(there.includes(key) ? there : [key, ...there], key);
  }

  function takeOff(key: string): void {
    const rest = desk.laps.map((lap) => lap.key).filter((item) => item !== key);
    if (rest.length) layOther(rest, reference);
  }

  const actions: Record<keyof typeof KEYS, () => void> = {
    previousPassage: () => desk.step(-1),
    nextPassage: () => desk.step(1),
    nextLap: () => desk.stepLap(1),
    previousLap: () => desk.stepLap(-1),
    open: () => desk.open(),
    out: () => desk.out(),
    reference: () => desk.chosen && measureAgainst(desk.chosen),
    add: () => (open = 'laps'),
    hide: () => desk.chosen && desk.hide(desk.chosen),
    alone: () => desk.chosen && desk.alone(desk.chosen),
    measure: () => desk.measure(),
    swap: () => desk.swapAxis(),
    cue: () => advice.give('cue'),
    keep: () => advice.give('keep'),
    play: () => {
      desk.map = 'lines';
      playing.toggle();
    },
    map: () => (desk.map = desk.map ? null : 'lines'),
    picture: () => (desk.picture = desk.picture ? null : 'steady'),
    note: () => openNotes(null),
    staves: () => (open = 'staves'),
    help: () => (open = 'keys'),
  };

  /** Notes, with one of them told first where it is asked for. */
  function openNotes(told: number | null): void {
    desk.told = told;
    open = 'notes';
  }

  function onkey(event: KeyboardEvent): void {
    const action = actionOf(event);
    if (!action || !desk.lineUp || !(present.me?.shortcuts ?? true)) return;
    event.preventDefault();
    actions[action]();
  }

  const length = $derived(unitOf('length', present.units));
  const about = $derived(
    desk.lineUp
      ? `${desk.lineUp.event.circuit}, ${figure(desk.lineUp.layout.length_m, length)} ${length.label}. ${desk.lineUp.event.name}, ${day(desk.lineUp.event.day)}`
      : '',
  );
  let content = $state<HTMLElement>();
  const nothing = $derived(lineUp.error instanceof ApiProblem && lineUp.error.code === 'empty');
  const others: [string, string][] = [
    ['← →', texts.keys.cursor],
    ['f', texts.keys.find],
    ['Alt ↑ ↓', texts.keys.moveLap],
    [texts.keys.dragging, texts.keys.drag],
    [texts.keys.ctrlScroll, texts.keys.wheel],
    [texts.keys.shiftDrag, texts.keys.pan],
    [texts.keys.doubleClick, texts.keys.whole],
  ];
</script>

<svelte:head><title>{t.title} · {texts.name}</title></svelte:head>
<svelte:window onkeydown={onkey} />

<Book {about}>
  {#snippet left()}
    {#if desk.lineUp}<LeftPage {desk} {full} {answers} {advice} />{/if}
  {/snippet}

  {#if nothing && !desk.lineUp}
    <div class="empty">
      <p>{t.empty}</p>
      <a class="do" href="/hand-in">{t.emptyNext}</a>
    </div>
  {:else if !desk.lineUp}
    {#if lineUp.error}
      <Trouble error={lineUp.error} again={() => void lineUp.refetch()} />
    {:else}
      <p class="muted">{texts.loading}</p>
    {/if}
  {:else}
    {#if lineUp.error}
      <Trouble error={lineUp.error} again={() => void lineUp.refetch()} />
      <p class="muted" role="status">{t.stays}</p>
    {:else if lineUp.isPaused || (lineUp.isFetching && online.current === false)}
      <p class="muted" role="status">{t.noConnection}</p>
    {/if}
    {#if old}
      <p class="muted" role="status">
        {t.measuredOn(old.version, old.present_version)}
        <button type="button" class="may" onclick={() => (asked = { ...asked, version: null })}
          >{t.measureNow(old.present_version)}</button
        >
      </p>
    {/if}
    {#if desk.lineUp.missing.length}<p class="muted" role="status">
        {t.missing(desk.lineUp.missing.length)}
      </p>{/if}
    {#if desk.lineUp.renewing}<p class="muted" role="status">{t.renewing}</p>{/if}
    {#if answers.curves.error}
      <Trouble error={answers.curves.error} again={() => void answers.curves.refetch()} />
    {/if}
    <DeskBar
      {desk}
      root={content}
      {about}
      {full}
      onopen={(what) => (what === 'notes' ? openNotes(null) : (open = what))}
      onadd={(key) => layOther([...desk.laps.map((lap) => lap.key), key], reference)}
    />
    <div bind:this={content}>
      {#if desk.picture}<PicturePanel {desk} />{/if}
      {#if desk.map}<GroundPanel {desk} {full} {playing} />{/if}
      <Score {desk} {full} onmeasure={measureAgainst} onoff={takeOff} onnote={openNotes} />
    </div>
  {/if}
</Book>

{#if advice.preparing.waiting}<LeaveSheet preparing={advice.preparing} />{/if}
{#if made.includes('laps')}<LapChooser {desk} bind:open={dialogs.laps.open} onlay={layOther} />{/if}
{#if made.includes('reference')}<ReferenceSheet
    {desk}
    bind:open={dialogs.reference.open}
    onmeasure={measureAgainst}
  />{/if}
{#if made.includes('staves')}<StaveSheet {desk} {staves} bind:open={dialogs.staves.open} />{/if}
{#if made.includes('notes')}<NoteSheet {desk} bind:open={dialogs.notes.open} />{/if}
{#if made.includes('kept')}<KeptLineUps {desk} bind:open={dialogs.kept.open} />{/if}
{#if made.includes('keys')}<Keys
    bind:open={dialogs.keys.open}
    title={t.keysTitle}
    keys={[...Object.values(KEYS).map((key): [string, string] => [key.shown, key.does]), ...others]}
  />{/if}
