<!-- What each channel of a run stands for: seen here, corrected once, kept for this kind of logger. -->
<script lang="ts">
  import { createQuery, useQueryClient } from '@tanstack/svelte-query';
  import { api, done, type ChannelOut } from '$lib/api/client';
  import { keys } from '$lib/api/keys';
  import { note, noteAction } from '$lib/parts/notes.svelte';
  import Sheet from '$lib/parts/Sheet.svelte';
  import Spark from '$lib/places/hand-in/Spark.svelte';
  import { asIs, type TableColumn, type TableView } from '$lib/parts/table/columns';
  import DataTable from '$lib/parts/table/DataTable.svelte';
  import Trouble from '$lib/parts/Trouble.svelte';
  import { texts } from '$lib/words';

  interface Props {
    run: number | null;
    file: number | null;
    name: string;
    close: () => void;
    kept: () => void;
  }
  let { run, file, name, close, kept }: Props = $props();
  const t = texts.handIn.channelTable;
  const queries = useQueryClient();
  let open = $state(true);
  $effect(() => {
    if (!open) close();
  });

  interface Edit {
    role?: string | null;
    unit?: string | null;
    flipped?: boolean | null;
  }
  let edits = $state<Record<string, Edit>>({});

  const table = createQuery(() => ({
    queryKey: keys.channels(run ?? `file ${file}`),
    queryFn: () =>
      run === null
        ? done(
            api.GET('/api/hand-ins/{hand_in_id}/channels', { params: { path: { hand_in_id: file ?? 0 } } }),
          )
        : done(api.GET('/api/runs/{run_id}/channels', { params: { path: { run_id: run } } })),
    staleTime: 0,
    // The run may just be read anew by what was corrected a moment ago; but not under somebody's hands.
    refetchInterval: () => (Object.keys(edits).length || run === null ? false : 1500),
  }));

  let title = $state<string | null>(null);
  let trouble = $state<unknown>(null);
  let busy = $state(false);
  const count = $derived(Object.keys(edits).length);

  function edit(channel: ChannelOut, change: Edit): void {
    edits = { ...edits, [channel.name]: { ...edits[channel.name], ...change } };
  }

  async function keep(): Promise<void> {
    const data = table.data;
    if (!data) return;
    busy = true;
    trouble = null;
    const channels = Object.entries(edits).map(([channel, change]) => {
      const now = data.channels.find((item) => item.name === channel);
      const left = change.role === null;
      // What was said before stays said: a correction of the unit does not take the role's back.
      const said = now?.corrected && !left;
      return {
        name: channel,
        role: left
          ? null
          : (change.role ??
            (said || change.unit !== undefined || change.flipped !== undefined ? (now?.role ?? '') : null)),
        unit: left ? null : (change.unit ?? null),
        flipped: left ? null : (change.flipped ?? (said && now ? now.flipped : null)),
      };
    });
    try {
      const body = { channels, name: title?.trim() || null };
      const answer = await (run === null
        ? done(
            api.PATCH('/api/hand-ins/{hand_in_id}/channels', {
              params: { path: { hand_in_id: file ?? 0 } },
              body,
            }),
          )
        : done(api.PATCH('/api/runs/{run_id}/channels', { params: { path: { run_id: run } }, body })));
      edits = {};
      noteAction(run === null ? t.keptFile : t.kept(answer.runs.length), answer.action, async () => kept());
      kept();
      open = false;
      await queries.invalidateQueries({ queryKey: ['channels'] });
      await queries.invalidateQueries({ queryKey: keys.anyDesk() });
    } catch (error) {
      trouble = error;
    } finally {
      busy = false;
    }
  }

  async function forget(id: number): Promise<void> {
    try {
      await done(api.DELETE('/api/dialects/{dialect_id}', { params: { path: { dialect_id: id } } }));
      note(t.forgotten);
      await table.refetch();
    } catch (error) {
      trouble = error;
    }
  }

  // What has two directions; a speed or a pressure has none.
  const SIGNED = ['lateral_acceleration', 'longitudinal_acceleration', 'yaw_rate', 'steering'];
  const round = (value: number | null | undefined) =>
    value === null || value === undefined ? '' : Number(value.toPrecision(4)).toString().replace('-', '−');
  const roleName = (channel: ChannelOut) =>
    table.data?.roles.find((item) => item.code === channel.role)?.name ?? '';
  let view = $state.raw<TableView>(asIs);
  const columns: TableColumn<ChannelOut>[] = [
    { id: 'name', header: t.name, heads: true, value: (own) => own.name, text: (own) => own.name },
    { id: 'values', header: t.values, value: () => null, text: () => '' },
    {
      id: 'range',
      header: t.range,
      numeric: true,
      value: (own) => own.high,
      text: (own) => `${round(own.low)} – ${round(own.high)}`,
    },
    {
      id: 'unit',
      header: t.unit,
      value: (own) => own.unit,
      text: (own) => (own.role ? own.taken_unit : own.unit),
    },
    {
      id: 'rate',
      header: t.rate,
      numeric: true,
      value: (own) => own.rate_hz,
      text: (own) => own.rate_hz.toFixed(own.rate_hz < 10 ? 1 : 0),
    },
    { id: 'role', header: t.role, value: (own) => roleName(own) || null, text: roleName },
    {
      id: 'sure',
      header: t.sure,
      value: (own) => (own.role ? own.confidence : null),
      text: (own) => (own.role ? `${Math.round(own.confidence * 100)} %` : ''),
    },
    { id: 'sign', header: t.sign, value: (own) => (own.flipped ? 1 : 0), text: () => '' },
  ];
</script>

<Sheet bind:open title={t.title(name)} wide>
  {#if table.error}
    <Trouble error={table.error} again={() => void table.refetch()} />
  {:else if !table.data}
    <p class="muted">{texts.loading}</p>
  {:else}
    {@const data = table.data}
    <p class="muted">{t.lead}</p>
    <div class="table">
      <DataTable
        label={t.title(name)}
        {columns}
        rows={data.channels}
        key={(row) => row.name}
        {view}
        onview={(to) => (view = to)}
        height="56vh"
        rowHeight={38}
        rowLook={(row) => (edits[row.name] ? 'edited' : '')}
      >
        {#snippet cell(channel, column)}
          {@const own = edits[channel.name]}
          {@const role = own?.role === null ? 'auto' : (own?.role ?? channel.role ?? '')}
          {#if column.id === 'values'}
            <Spark picture={channel.picture} label="{t.values}: {channel.name}" />
          {:else if column.id === 'unit'}
            <input
              class="input unit"
              aria-label={t.unitOf(channel.name)}
              value={own?.unit ?? (channel.role ? channel.taken_unit : channel.unit)}
              maxlength="60"
              onchange={(e) => edit(channel, { unit: e.currentTarget.value })}
            />
          {:else if column.id === 'role'}
            <select
              class="select role"
              aria-label={t.roleOf(channel.name)}
              value={role}
              onchange={(e) =>
                edit(channel, { role: e.currentTarget.value === 'auto' ? null : e.currentTarget.value })}
            >
              {#if channel.corrected || own}<option value="auto">{t.reset}</option>{/if}
              <option value="">{t.noRole}</option>
              {#each data.roles as item (item.code)}<option value={item.code}>{item.name}</option>{/each}
            </select>
          {:else if column.id === 'sure'}
            {#if own}<span class="muted">–</span>{:else if channel.corrected}<span>{t.by.dialect}</span
              >{:else if channel.role}
              <span class="figure" class:loss={channel.confidence < 0.75}
                >{Math.round(channel.confidence * 100)} %</span
              >
              <span class="muted">{t.by[channel.by]}</span>
              {#if channel.second !== null && channel.second !== undefined}
                <button
                  type="button"
                  class="second"
                  onclick={() => edit(channel, { role: channel.second ?? '' })}
                  >{channel.second
                    ? t.or(data.roles.find((item) => item.code === channel.second)?.name ?? '')
                    : t.orNothing}</button
                >
              {/if}
            {/if}
          {:else if column.id === 'sign'}
            {#if SIGNED.includes(role)}
              <label class="sign"
                ><input
                  type="checkbox"
                  aria-label={t.signOf(channel.name)}
                  checked={own?.flipped ?? channel.flipped}
                  onchange={(e) => edit(channel, { flipped: e.currentTarget.checked })}
                /><span class="muted">{(own?.flipped ?? channel.flipped) ? t.turned : t.asLogged}</span
                ></label
              >
            {/if}
          {:else}{column.text(channel)}{/if}
        {/snippet}
      </DataTable>
    </div>
  {/if}
  {#if trouble}<Trouble error={trouble} />{/if}
  {#snippet footer()}
    <label class="dialect"
      ><span class="muted">{t.dialect}</span><input
        class="input"
        maxlength="200"
        value={title ?? table.data?.dialect ?? ''}
        placeholder={table.data?.dialect ?? name}
        oninput={(e) => (title = e.currentTarget.value)}
      /></label
    >
    {#if table.data?.dialect_id}
      <a class="may" href="/api/dialects/{table.data.dialect_id}/file" download>{t.save}</a>
      <button type="button" class="may" onclick={() => forget(table.data?.dialect_id ?? 0)}>{t.forget}</button
      >
    {/if}
    <button type="button" class="do" disabled={!count || busy} onclick={keep}
      >{count ? t.keep(count) : t.nothing}</button
    >
  {/snippet}
</Sheet>

<style>
  .table {
    --table-ground: var(--sheet);
    margin-top: 10px;
  }
  .table :global(tr.edited .cell) {
    background: var(--stretch);
  }
  .unit {
    width: 74px;
    padding: 2px 6px;
    font-size: 13px;
  }
  .role {
    width: 190px;
    padding-block: 2px;
    font-size: 13px;
  }
  .second {
    text-decoration: underline;
    text-underline-offset: 2px;
    min-height: 24px;
  }
  .sign {
    display: flex;
    gap: 6px;
    align-items: center;
    min-height: 32px;
  }
  .dialect {
    display: flex;
    gap: 8px;
    align-items: center;
    margin-right: auto;
    font-size: 13px;
  }
  .dialect .input {
    width: 190px;
    padding: 2px 8px;
  }
</style>
