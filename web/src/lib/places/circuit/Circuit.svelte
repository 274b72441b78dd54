<script lang="ts">
  import { createQuery, keepPreviousData, useQueryClient } from '@tanstack/svelte-query';
  import { History as HistoryIcon } from '@lucide/svelte';
  import { api, ApiProblem, done, fetchArrow } from '$lib/api/client';
  import { keys } from '$lib/api/keys';
  import { asked, type Kind } from '$lib/circuit/draft';
  import { Drafting } from '$lib/circuit/drafting.svelte';
  import { Outline } from '$lib/circuit/outline.svelte';
  import { Keeping } from '$lib/circuit/keeping.svelte';
  import { decodeCurves } from '$lib/desk/curves';
  import { inkOf } from '$lib/draw/inks';
  import { mode } from '$lib/draw/mode.svelte';
  import { figure, unitOf } from '$lib/quantities/units';
  import { addressed, keepAddress } from '$lib/session/address.svelte';
  import { present } from '$lib/session/present.svelte';
  import Book from '$lib/parts/Book.svelte';
  import Keys from '$lib/parts/Keys.svelte';
  import Trouble from '$lib/parts/Trouble.svelte';
  import CircuitBar from '$lib/places/circuit/CircuitBar.svelte';
  import CircuitCurves from '$lib/places/circuit/CircuitCurves.svelte';
  import CircuitMap from '$lib/places/circuit/CircuitMap.svelte';
  import CornerList from '$lib/places/circuit/CornerList.svelte';
  import EdgePanel from '$lib/places/circuit/EdgePanel.svelte';
  import History from '$lib/places/circuit/History.svelte';
  import MapPanel from '$lib/places/circuit/MapPanel.svelte';
  import MarkList from '$lib/places/circuit/MarkList.svelte';
  import PassageList from '$lib/places/circuit/PassageList.svelte';
  import PreviewTable from '$lib/places/circuit/PreviewTable.svelte';
  import SectorList from '$lib/places/circuit/SectorList.svelte';
  import TakeAway from '$lib/places/circuit/TakeAway.svelte';
  import StartPanel from '$lib/places/circuit/StartPanel.svelte';
  import type { Line } from '$lib/score/Stave.svelte';
  import { without } from '$lib/circuit/draft';
  import { circuitKeys } from '$lib/words/circuit';
  import { chosen as kept } from '$lib/session/chosen.svelte';
  import { texts } from '$lib/words';

  const t = texts.circuit;
  const RENEWING_MS = 1_500;
  /** Findings take longer than times: they are asked for when a drawing has rested for a while. */
  const FINDINGS_MS = 700;
  const KINDS: Kind[] = ['corners', 'passages', 'sectors', 'start', 'marks'];
  const drafting = new Drafting();
  const outline = new Outline();
  const client = useQueryClient();

  const query = addressed();
  const asNumber = (name: string): number | null => {
    const value = Number(query.get(name));
    return Number.isInteger(value) && value > 0 ? value : null;
  };
  const shown = query.get('show');
  if (KINDS.some((kind) => kind === shown)) drafting.kind = shown as Kind;
  const first = Number(query.get('at') ?? NaN);
  if (Number.isFinite(first)) drafting.cursor = first;

  let wanted = $state<number | null>(asNumber('layout'));
  let event = $state<number | null>(asNumber('day'));
  let history = $state(false);
  let helping = $state(false);
  let taking = $state(false);

  const may = $derived(present.me?.role === 'owner' || present.me?.role === 'coach');
  const circuits = createQuery(() => ({
    queryKey: keys.circuits(),
    queryFn: ({ signal }) => done(api.GET('/api/circuits', { signal })),
    // A run that was just handed in may have made one.
    staleTime: 0,
  }));
  const layoutId = $derived(
    wanted ?? circuits.data?.circuits.find((row) => row.length_m !== null)?.id ?? null,
  );
  $effect(() => {
    if (layoutId !== null) kept.take({ layout: layoutId });
  });
  const ground = createQuery(() => ({
    queryKey: keys.ground(layoutId ?? 0, event),
    queryFn: ({ signal }) =>
      done(
        api.GET('/api/layouts/{layout_id}', {
          params: { path: { layout_id: layoutId ?? 0 }, query: event ? { event } : {} },
          signal,
        }),
      ),
    enabled: layoutId !== null,
    staleTime: 0,
    placeholderData: keepPreviousData,
    refetchInterval: (query) =>
      query.state.data?.renewing ||
      (query.state.error instanceof ApiProblem && query.state.error.status === 409)
        ? RENEWING_MS
        : false,
  }));
  // A circuit that waited has got its run: the list that says so is old.
  const behind = $derived(
    ground.data !== undefined &&
      circuits.data?.circuits.some((row) => row.id === ground.data?.layout.id && row.length_m === null),
  );
  $effect(() => {
    if (behind) void circuits.refetch();
  });
  $effect(() => {
    if (ground.data && !ground.isPlaceholderData) drafting.lay(ground.data);
  });
  const shownDay = $derived(drafting.ground?.day ?? null);

  // The day's best laps, as the desk has them.
  const desk = createQuery(() => ({
    queryKey: keys.desk({
      event: shownDay,
      version: drafting.ground?.version.id,
      renewing: drafting.ground?.renewing,
    }),
    queryFn: ({ signal }) =>
      done(api.GET('/api/desk', { params: { query: { event: shownDay ?? 0 } }, signal })),
    enabled: shownDay !== null,
    placeholderData: keepPreviousData,
    retry: false,
  }));
  const fits = $derived(
    desk.data !== undefined &&
      Math.abs(desk.data.layout.length_m - drafting.length) < 0.01 &&
      !ground.data?.renewing,
  );
  const laps = $derived(desk.data?.laps.map((lap) => lap.curves).join(',') ?? '');
  const base = $derived(desk.data?.laps.find((lap) => lap.key === desk.data?.reference)?.curves ?? '');
  /** elevation, where somebody logged it */
  const roles = $derived(
    desk.data?.laps.some((lap) => lap.roles.includes('altitude')) ? 'speed,altitude' : 'speed',
  );
  const curves = createQuery(() => ({
    queryKey: keys.curves(present.build, laps, base, roles),
    queryFn: async ({ signal }) =>
      decodeCurves(
        await fetchArrow('curves', { laps, reference: base, roles, build: present.build }, signal),
      ),
    enabled: laps !== '' && base !== '',
    staleTime: Infinity,
    placeholderData: keepPreviousData,
    structuralSharing: false,
  }));
  function linesOf(role: string): Line[] {
    if (!fits || !curves.data || !desk.data) return [];
    const { laps: all, reference } = desk.data;
    return all.flatMap((lap) => {
      const values = curves.data.of(lap.curves, role);
      const line = {
        key: lap.key,
        colour: inkOf(lap, 0, mode.dark).colour,
        reference: lap.key === reference && all.length > 1,
        chosen: false,
      };
      return values ? [{ ...line, values }] : [];
    });
  }
  const lines = $derived(linesOf('speed'));
  const heights = $derived(linesOf('altitude'));
  /** the layout that is on the page, which another one that was chosen has not yet replaced */
  const drawn = $derived(drafting.ground?.layout.id ?? 0);
  // What a drawing does is asked for when it rests, and aborted when it is outdated.
  const question = $derived(
    drafting.settled && drafting.ground && shownDay !== null
      ? { ...asked(drafting.settled, drafting.ground), event: shownDay }
      : null,
  );
  const preview = createQuery(() => ({
    queryKey: keys.preview(drawn, { ...question, renewing: drafting.ground?.renewing }),
    queryFn: ({ signal }) => {
      if (!question) throw new Error('nothing is asked');
      const params = { path: { layout_id: drawn } };
      return done(api.POST('/api/layouts/{layout_id}/preview', { params, body: question, signal }));
    },
    enabled: may && question !== null,
    placeholderData: keepPreviousData,
    retry: false,
    staleTime: 60_000,
  }));
  let rested = $state.raw<typeof question>(null);
  $effect(() => {
    const own = question;
    const later = setTimeout(() => (rested = own), FINDINGS_MS);
    return () => clearTimeout(later);
  });
  const findings = createQuery(() => ({
    queryKey: keys.previewFindings(drawn, { ...rested }),
    queryFn: ({ signal }) => {
      if (!rested) throw new Error('nothing is asked');
      const params = { path: { layout_id: drawn } };
      return done(api.POST('/api/layouts/{layout_id}/preview/findings', { params, body: rested, signal }));
    },
    enabled: may && rested !== null && rested === question && drafting.changed && !preview.error,
    placeholderData: keepPreviousData,
    retry: false,
    staleTime: 60_000,
  }));
  $effect(() => {
    const { error } = preview;
    if (error instanceof ApiProblem && error.code === 'moved-on') keeping.tell(error);
  });

  keepAddress('/circuit', () =>
    drafting.ground
      ? [
          `layout=${drafting.ground.layout.id}`,
          `show=${drafting.kind}`,
          ...(event !== null ? [`day=${event}`] : []),
          ...(drafting.cursor !== null ? [`at=${drafting.cursor.toFixed(0)}`] : []),
        ].join('&')
      : null,
  );

  async function refresh(): Promise<void> {
    await Promise.all([
      client.invalidateQueries({ queryKey: keys.anyGround() }),
      client.invalidateQueries({ queryKey: keys.circuits() }),
      client.invalidateQueries({ queryKey: keys.anyDesk() }),
      client.invalidateQueries({ queryKey: keys.anyPaddock() }),
    ]);
  }

  const keeping = new Keeping(drafting, refresh);

  /** A mark that was moved by hand is kept when the hand lets go. */
  function letGo(id: string): void {
    const own = drafting.marks.find((mark) => `mark:${mark.id}` === id);
    if (own && drafting.markMoved) void keeping.changeMark(own);
  }

  function remove(id: string): void {
    const mark = drafting.marks.find((own) => `mark:${own.id}` === id);
    if (mark) void keeping.removeMark(mark);
    else if (drafting.draft) {
      drafting.change(without(drafting.draft, id));
      drafting.held = null;
    }
  }

  async function makeLine(limits: boolean): Promise<void> {
    if (await keeping.makeLine(limits)) history = true;
  }

  let turning = $state<number | null>(null);
  const heading = $derived(turning ?? drafting.ground?.heading_deg ?? 0);

  function onkey(press: KeyboardEvent): void {
    const { target } = press;
    if (
      target instanceof HTMLInputElement ||
      target instanceof HTMLSelectElement ||
      press.ctrlKey ||
      press.metaKey
    )
      return;
    if (!(present.me?.shortcuts ?? true)) return;
    if (press.key === 'z') drafting.undo();
    else if (press.key === 'y') drafting.redo();
    else if (press.key === '?') helping = true;
    else return;
    press.preventDefault();
  }

  const length = $derived(unitOf('length', present.units));
  const about = $derived(
    drafting.ground
      ? `${drafting.ground.layout.name}, ${figure(drafting.length, length)} ${length.label}`
      : '',
  );
</script>

<svelte:head><title>{t.title} · {texts.name}</title></svelte:head>
<svelte:window onkeydown={onkey} />

{#snippet chooser(shownId: number)}
  <select
    class="select which"
    aria-label={t.choose}
    value={shownId}
    onchange={(e) => {
      const id = Number(e.currentTarget.value);
      event = null;
      wanted = id;
    }}
  >
    {#each circuits.data?.circuits ?? [] as row (row.id)}
      <option value={row.id} disabled={row.length_m === null}
        >{row.name}{row.length_m === null ? ` (${t.waiting})` : ''}</option
      >
    {/each}
  </select>
{/snippet}

<Book {about}>
  {#snippet left()}
    {#if !drafting.ground && layoutId !== null}
      <!-- one that waits for its first run has no map, and must not keep anybody from the others -->
      <div class="head">{@render chooser(layoutId)}</div>
    {/if}
    {#if drafting.ground}
      {@const own = drafting.ground}
      <div class="head">
        {@render chooser(own.layout.id)}
        <button type="button" class="may small" onclick={() => (history = true)}
          ><HistoryIcon size={14} />{t.version(own.version.number)}</button
        >
      </div>
      <CircuitMap
        {drafting}
        {heading}
        {outline}
        width={316}
        height={outline.drawing ? 316 : 264}
        onletgo={letGo}
      />
      <div class="kinds" role="tablist" aria-label={t.title}>
        {#each KINDS as kind (kind)}
          <button
            type="button"
            role="tab"
            aria-selected={drafting.kind === kind}
            onclick={() => {
              drafting.kind = kind;
              drafting.held = null;
              outline.end();
            }}>{t.kinds[kind]}</button
          >
        {/each}
      </div>
      <fieldset disabled={!may || keeping.busy}>
        {#if drafting.kind === 'corners'}
          <CornerList {drafting} />
        {:else if drafting.kind === 'passages'}
          <PassageList {drafting} />
        {:else if drafting.kind === 'sectors'}
          <SectorList
            {drafting}
            onset={(id) => void keeping.chooseSet(id)}
            onnew={(name) => void keeping.addSet(name)}
            ongone={(id) => void keeping.removeSet(id)}
          />
        {:else if drafting.kind === 'marks'}
          <MarkList
            {drafting}
            onadd={(name, side, at) => void keeping.addMark(name, side, at)}
            onchange={(mark) => void keeping.changeMark(mark)}
            ongone={(mark) => void keeping.removeMark(mark)}
          />
        {:else}
          <StartPanel {drafting} />
          <EdgePanel
            {drafting}
            ground={own}
            {outline}
            onkeep={(what, edge) => void keeping.changeEdge(what, edge).then((kept) => kept && outline.end())}
            onfile={(text) => void keeping.readEdges(text)}
          />
          <MapPanel
            ground={own}
            {heading}
            onturn={(degrees) => (turning = degrees)}
            onheading={(degrees) =>
              void keeping.change({ heading_deg: degrees }).then(() => (turning = null))}
            onconfirm={(confirmed) => void keeping.change({ confirmed })}
            onname={(name) => void keeping.change({ name })}
            online={(limits) => void makeLine(limits)}
          />
        {/if}
      </fieldset>
    {/if}
  {/snippet}

  {#if circuits.error}
    <Trouble error={circuits.error} again={() => void circuits.refetch()} />
  {:else if circuits.data && layoutId === null}
    <div class="empty">
      <p>{t.empty}</p>
      <a class="do" href="/hand-in">{t.emptyNext}</a>
    </div>
  {:else if ground.error && !drafting.ground}
    <Trouble error={ground.error} again={() => void ground.refetch()} />
  {:else if !drafting.ground}
    <p class="muted">{texts.loading}</p>
  {:else}
    {@const own = drafting.ground}
    {#if own.renewing}<p class="muted" role="status">{t.renewing(own.renewing)}</p>{/if}
    {#if may && own.better}
      <div class="offer">
        <p>{t.better(own.better)}</p>
        <button type="button" class="may" disabled={keeping.busy} onclick={() => void makeLine(false)}
          >{t.tryIt}</button
        >
        <button
          type="button"
          class="may"
          disabled={keeping.busy}
          onclick={() => void keeping.change({ confirmed: true })}>{t.isRight}</button
        >
      </div>
    {/if}
    {#if keeping.conflict}
      <div class="conflict" role="alert">
        <p>{keeping.conflict.message}</p>
        <button type="button" class="do" onclick={() => void keeping.takeTheirs()}>{t.theirs}</button>
        <button type="button" class="may" onclick={() => void keeping.keepMine()}>{t.mine}</button>
      </div>
    {/if}
    {#if keeping.trouble}<Trouble error={keeping.trouble} />{/if}
    <CircuitBar
      {drafting}
      ground={own}
      {may}
      busy={keeping.busy}
      possible={preview.error === null}
      onday={(id) => (event = id)}
      onkeep={() => void keeping.keep()}
      ontake={() => (taking = true)}
      onhelp={() => (helping = true)}
    />
    <CircuitCurves
      {drafting}
      {lines}
      {heights}
      s={curves.data?.s ?? null}
      note={shownDay !== null && !fits && !desk.isPending && !desk.error ? t.oldCurves : ''}
      onletgo={letGo}
      onremove={remove}
    />
    {#if preview.error && !keeping.conflict}
      <Trouble error={preview.error} again={() => void preview.refetch()} />
    {:else if preview.data}
      <PreviewTable
        preview={preview.data}
        stale={preview.isPlaceholderData}
        findings={findings.data ?? null}
        findingsStale={findings.isFetching || rested !== question}
      />
    {/if}
  {/if}
</Book>

{#if drafting.ground}
  <TakeAway bind:open={taking} ground={drafting.ground} laps={desk.data?.laps ?? []} />
  <History
    bind:open={history}
    ground={drafting.ground}
    {may}
    onpresent={(version) => void keeping.goBack(version.id).then((back) => (history = !back))}
  />
{/if}
<Keys bind:open={helping} title={t.keysTitle} keys={circuitKeys} />

<style>
  .head {
    display: flex;
    gap: 8px;
    margin-top: 4px;
  }
  .which {
    flex: 1;
    min-width: 0;
    font-weight: 620;
    min-height: 30px;
    padding: 0 26px 0 8px;
  }
  .small {
    min-height: 30px;
    padding: 0 8px;
    font-size: 12px;
    white-space: nowrap;
  }
  .kinds {
    display: flex;
    justify-content: space-between;
    border-bottom: 1px solid var(--rule);
    margin: 2px 0 8px;
  }
  .kinds button {
    padding: 5px 2px 4px;
    font-size: 13px;
    color: var(--muted);
    border-bottom: 3px solid transparent;
    cursor: pointer;
  }
  .kinds button[aria-selected='true'] {
    color: var(--ink);
    font-weight: 620;
    border-bottom-color: var(--accent);
  }
  fieldset {
    min-width: 0;
  }
  .offer {
    display: flex;
    flex-wrap: wrap;
    gap: 8px;
    align-items: center;
    font-size: 13px;
    color: var(--muted);
    margin-bottom: 6px;
  }
  .offer .may {
    min-height: 26px;
    padding: 0 8px;
    font-size: 12px;
  }
  .conflict {
    border-left: 3px solid var(--brass);
    background: var(--sheet);
    padding: 10px 14px;
    display: flex;
    flex-wrap: wrap;
    gap: 10px;
    align-items: center;
    margin-bottom: 8px;
  }
</style>
