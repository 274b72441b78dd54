<!-- What is said of a stint: what was tried, where it begins, and its tyres after it, beside what was logged of them. -->
<script lang="ts">
  import { useQueryClient } from '@tanstack/svelte-query';
  import { untrack } from 'svelte';
  import { api, done, type Stint } from '$lib/api/client';
  import { keys } from '$lib/api/keys';
  import { watchUnit } from '$lib/laps/watch';
  import { figure, lapTime, typedIn, type Unit } from '$lib/quantities/units';
  import { present } from '$lib/session/present.svelte';
  import { noteAction } from '$lib/parts/notes.svelte';
  import Sheet from '$lib/parts/Sheet.svelte';
  import Trouble from '$lib/parts/Trouble.svelte';
  import { texts } from '$lib/words';

  interface Props {
    stint: Stint;
    name: string;
    onclose: () => void;
  }
  let { stint, name, onclose }: Props = $props();
  const t = texts.stint;
  const client = useQueryClient();
  type Wheel = keyof typeof t.wheels;
  type Part = keyof typeof t.tyre;
  const WHEELS = Object.keys(t.wheels) as Wheel[];
  const PARTS = Object.keys(t.tyre) as Part[];
  const unitOf = (part: Part): Unit =>
    part === 'wear_mm'
      ? { label: 'mm', factor: 1, offset: 0, digits: 1 }
      : watchUnit(part.endsWith('_k') ? 'temperature' : 'pressure', present.units);

  let open = $state(true);
  let tried = $state(untrack(() => stint.tried ?? ''));
  let cutAt = $state('');
  let trouble = $state<unknown>(null);
  let fields = $state<Record<string, string>>(
    untrack(() =>
      Object.fromEntries(
        WHEELS.flatMap((wheel) =>
          PARTS.map((part): [string, string] => {
            const own = stint.tyres_said?.[wheel]?.[part];
            return [`${wheel}.${part}`, own === null || own === undefined ? '' : figure(own, unitOf(part))];
          }),
        ),
      ),
    ),
  );
  $effect(() => {
    if (!open) onclose();
  });

  function tyres() {
    const found: Record<string, Record<string, number>> = {};
    for (const wheel of WHEELS)
      for (const part of PARTS) {
        const text = fields[`${wheel}.${part}`] ?? '';
        if (!text.trim()) continue;
        const value = typedIn(text, unitOf(part));
        if (value === null) throw new Error(texts.watch.wrong(`${t.wheels[wheel]}, ${t.tyre[part]}`));
        (found[wheel] ??= {})[part] = value;
      }
    return Object.keys(found).length ? found : null;
  }

  const again = () => client.invalidateQueries({ queryKey: keys.anyLaps() });

  async function keep(): Promise<void> {
    trouble = null;
    try {
      const body = { lap: stint.key, tried: tried.trim() || null, tyres: tyres() };
      const kept = await done(api.POST('/api/stints/said', { body }));
      noteAction(t.kept, kept.action, again);
      if (cutAt) {
        const cut = await done(api.POST('/api/stints/said', { body: { lap: cutAt, cut: true } }));
        noteAction(t.cut, cut.action, again);
      }
      await again();
      open = false;
    } catch (error) {
      trouble = error;
    }
  }

  async function join(): Promise<void> {
    try {
      const kept = await done(api.POST('/api/stints/said', { body: { lap: stint.key, cut: false } }));
      noteAction(t.kept, kept.action, again);
      await again();
      open = false;
    } catch (error) {
      trouble = error;
    }
  }
</script>

<Sheet bind:open title={t.title(name)} wide>
  {#if trouble}<Trouble error={trouble} />{/if}
  <label>{t.tried}<textarea class="input" rows="2" maxlength="4000" bind:value={tried}></textarea></label>
  <label
    >{t.cutAt}
    <select class="select" bind:value={cutAt}>
      <option value="">{t.cutNone}</option>
      {#each stint.laps.slice(1) as lap (lap.key)}
        <option value={lap.key}>{texts.laps.lap} {lap.number}, {lapTime(lap.time_s)}</option>
      {/each}
    </select></label
  >
  {#if stint.cut}<button type="button" class="may" onclick={() => void join()}>{t.uncut}</button>{/if}
  <h3>{t.tyresAfter}</h3>
  <div class="scroll">
    <table>
      <thead>
        <tr>
          <th></th>
          {#each PARTS as part (part)}<th>{t.tyre[part]} <small>{unitOf(part).label}</small></th>{/each}
        </tr>
      </thead>
      <tbody>
        {#each WHEELS as wheel (wheel)}
          <tr>
            <th scope="row">{t.wheels[wheel]}</th>
            {#each PARTS as part (part)}
              {@const logged = part === 'wear_mm' ? null : stint.tyres_logged?.[wheel]?.[part]}
              <td
                ><input
                  class="input figure"
                  inputmode="decimal"
                  aria-label="{t.wheels[wheel]}, {t.tyre[part]}"
                  placeholder={logged === null || logged === undefined ? '' : figure(logged, unitOf(part))}
                  title={logged === null || logged === undefined ? undefined : t.logged}
                  bind:value={fields[`${wheel}.${part}`]}
                /></td
              >
            {/each}
          </tr>
        {/each}
      </tbody>
    </table>
  </div>
  {#snippet footer()}<button type="button" class="do" onclick={() => void keep()}>{t.keep}</button>{/snippet}
</Sheet>

<style>
  label {
    display: grid;
    font-size: 12px;
    margin-bottom: 8px;
  }
  .input,
  .select {
    padding: 4px 8px;
    font-size: 13px;
    width: 100%;
  }
  .select {
    padding-right: 24px;
  }
  h3 {
    font-size: 14px;
    font-weight: 620;
    margin: 8px 0 4px;
  }
  .scroll {
    overflow-x: auto;
  }
  th,
  td {
    padding: 2px 6px 2px 0;
    font-size: 12px;
    text-align: left;
    white-space: nowrap;
    font-weight: 520;
  }
  td .input {
    width: 74px;
    min-height: 28px;
    padding: 2px 6px;
  }
  .may {
    min-height: 28px;
    padding: 0 8px;
    font-size: 12px;
    justify-self: start;
  }
</style>
