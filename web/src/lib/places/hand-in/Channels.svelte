<!-- What each channel of a run stands for: seen here, corrected once, kept for this kind of logger. -->
<script lang="ts">
  import { createQuery, useQueryClient } from '@tanstack/svelte-query';
  import { api, done, type ChannelOut } from '$lib/api/client';
  import { keys } from '$lib/api/keys';
  import { note, noteAction } from '$lib/parts/notes.svelte';
  import Sheet from '$lib/parts/Sheet.svelte';
  import Spark from '$lib/places/hand-in/Spark.svelte';
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
</script>

<Sheet bind:open title={t.title(name)} wide>
  {#if table.error}
    <Trouble error={table.error} again={() => void table.refetch()} />
  {:else if !table.data}
    <p class="muted">{texts.loading}</p>
  {:else}
    {@const data = table.data}
    <p class="muted">{t.lead}</p>
    <div class="scroll">
      <table>
        <thead>
          <tr
            ><th>{t.name}</th><th>{t.values}</th><th class="num">{t.range}</th><th>{t.unit}</th><th
              class="num">{t.rate}</th
            ><th>{t.role}</th><th>{t.sure}</th><th>{t.sign}</th></tr
          >
        </thead>
        <tbody>
          {#each data.channels as channel (channel.name)}
            {@const own = edits[channel.name]}
            {@const role = own?.role === null ? 'auto' : (own?.role ?? channel.role ?? '')}
            <tr class:edited={own}>
              <th scope="row" title={channel.name}>{channel.name}</th>
              <td><Spark picture={channel.picture} label="{t.values}: {channel.name}" /></td>
              <td class="figure num">{round(channel.low)} – {round(channel.high)}</td>
              <td
                ><input
                  class="input unit"
                  aria-label={t.unitOf(channel.name)}
                  value={own?.unit ?? (channel.role ? channel.taken_unit : channel.unit)}
                  maxlength="60"
                  onchange={(e) => edit(channel, { unit: e.currentTarget.value })}
                /></td
              >
              <td class="figure num">{channel.rate_hz.toFixed(channel.rate_hz < 10 ? 1 : 0)}</td>
              <td
                ><select
                  class="select role"
                  aria-label={t.roleOf(channel.name)}
                  value={role}
                  onchange={(e) =>
                    edit(channel, { role: e.currentTarget.value === 'auto' ? null : e.currentTarget.value })}
                >
                  {#if channel.corrected || own}<option value="auto">{t.reset}</option>{/if}
                  <option value="">{t.noRole}</option>
                  {#each data.roles as item (item.code)}<option value={item.code}>{item.name}</option>{/each}
                </select></td
              >
              <td class="sure">
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
              </td>
              <td>
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
              </td>
            </tr>
          {/each}
        </tbody>
      </table>
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
  .scroll {
    overflow-x: auto;
    margin-top: 10px;
  }
  table {
    font-size: 13px;
    border-collapse: collapse;
    width: 100%;
  }
  thead th {
    text-align: left;
    color: var(--muted);
    font-weight: 500;
    position: sticky;
    top: 0;
    background: var(--sheet);
    z-index: 1;
  }
  th,
  td {
    padding: 3px 12px 3px 0;
    border-bottom: 1px solid var(--rule);
    white-space: nowrap;
  }
  tbody th {
    text-align: left;
    font-weight: 560;
    max-width: 190px;
    overflow: hidden;
    text-overflow: ellipsis;
  }
  .edited {
    background: var(--stretch);
  }
  .num {
    text-align: right;
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
  .sure {
    min-width: 130px;
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
