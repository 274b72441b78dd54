<!-- A car's sheet: what it is, its limits, its set-up by date. Everything in the person's units, kept in SI. -->
<script lang="ts">
  import { useQueryClient } from '@tanstack/svelte-query';
  import { Trash2 } from '@lucide/svelte';
  import { untrack } from 'svelte';
  import { api, done, type CarOut, type CarSheetIn, type Watch } from '$lib/api/client';
  import { keys } from '$lib/api/keys';
  import { watchUnit } from '$lib/laps/watch';
  import { figure, typedIn, type Unit } from '$lib/quantities/units';
  import { present } from '$lib/session/present.svelte';
  import { noteAction, sendUnlessChanged } from '$lib/parts/notes.svelte';
  import Sheet from '$lib/parts/Sheet.svelte';
  import Trouble from '$lib/parts/Trouble.svelte';
  import { texts } from '$lib/words';

  interface Props {
    car: CarOut;
    roles: Watch['roles'];
    may: boolean;
    onclose: () => void;
  }
  let { car, roles, may, onclose }: Props = $props();
  const t = texts.watch;
  const client = useQueryClient();
  const imperial = present.units === 'imperial';
  const MASS: Unit = imperial
    ? { label: 'lb', factor: 2.2046226, offset: 0, digits: 0 }
    : { label: 'kg', factor: 1, offset: 0, digits: 0 };
  const POWER: Unit = imperial
    ? { label: 'hp', factor: 1 / 745.69987, offset: 0, digits: 0 }
    : { label: 'kW', factor: 1e-3, offset: 0, digits: 0 };

  const first = untrack(() => car.sheet);
  const text = (value: number | null | undefined, unit: Unit) =>
    value === null || value === undefined ? '' : figure(value, unit);
  let mass = $state(text(first.mass_kg, MASS));
  let power = $state(text(first.power_w, POWER));
  let gears = $state((first.gears ?? []).join(', '));
  let final = $state(first.final_drive?.toString() ?? '');
  let tyres = $state(first.tyres ?? '');
  let setUps = $state((first.set_ups ?? []).map((own) => ({ ...own })));
  interface Row {
    role: string;
    over: boolean;
    value: string;
    least: string;
    when: string;
    above: string;
  }
  const unitOfRole = (role: string): Unit =>
    watchUnit(roles.find((own) => own.role === role)?.quantity ?? quantityOf(role), present.units);
  /** of a channel that none of these runs logged */
  const quantityOf = (role: string) =>
    /temperature/.test(role)
      ? 'temperature'
      : /pressure/.test(role)
        ? 'pressure'
        : /speed/.test(role)
          ? 'turning'
          : 'plain';
  let limits = $state<Row[]>(
    (first.limits ?? []).map((own) => ({
      role: own.role,
      over: own.over,
      value: figure(own.value, unitOfRole(own.role)),
      least: own.least_s ? String(own.least_s) : '',
      when: own.when_role ?? '',
      above: own.when_role ? figure(own.when_over ?? 0, unitOfRole(own.when_role)) : '',
    })),
  );
  let trouble = $state<unknown>(null);
  let open = $state(true);
  $effect(() => {
    if (!open) onclose();
  });
  const choices = $derived([
    ...roles,
    ...limits
      .filter((own) => !roles.some((role) => role.role === own.role))
      .map((own) => ({
        role: own.role,
        label: own.role.replaceAll('_', ' '),
        quantity: quantityOf(own.role),
        driver: false,
      })),
  ]);

  function number(what: string, value: string, unit: Unit): number | null {
    if (value.trim() === '') return null;
    const found = typedIn(value, unit);
    if (found === null) throw new Error(t.wrong(what));
    return found;
  }

  const PLAIN: Unit = { label: '', factor: 1, offset: 0, digits: 2 };

  function sheet(): CarSheetIn {
    return {
      mass_kg: number(t.mass, mass, MASS),
      power_w: number(t.power, power, POWER),
      gears: gears
        .split(/[;,\s]+/)
        .filter(Boolean)
        .map((own) => number(t.gearsField, own, PLAIN) ?? 0),
      final_drive: number(t.finalDrive, final, PLAIN),
      tyres,
      set_ups: setUps.filter((own) => own.day && own.text.trim()),
      limits: limits
        .filter((own) => own.role && own.value.trim())
        .map((own) => ({
          role: own.role,
          over: own.over,
          value: number(t.value, own.value, unitOfRole(own.role)) ?? 0,
          least_s: number(t.atLeast, own.least, PLAIN) ?? 0,
          when_role: own.when || null,
          when_over: own.when ? (number(t.above, own.above, unitOfRole(own.when)) ?? 0) : 0,
        })),
    };
  }

  async function keep(): Promise<void> {
    trouble = null;
    const again = () => client.invalidateQueries({ queryKey: keys.anyLaps() });
    try {
      const params = { path: { car_id: car.id } };
      const wanted = sheet();
      const send = (insisting: boolean) =>
        done(
          api.PUT('/api/cars/{car_id}/sheet', {
            params,
            body: { ...wanted, was: insisting ? null : car.sheet },
          }),
        );
      const sent = async (kept: { action: number }): Promise<void> => {
        noteAction(t.kept(car.name), kept.action, again);
        await again();
      };
      const kept = await sendUnlessChanged(send, sent);
      if (kept) await sent(kept);
      open = false;
    } catch (error) {
      trouble = error;
    }
  }
</script>

<Sheet bind:open title={t.carSheet(car.name)} wide>
  {#if trouble}<Trouble error={trouble} />{/if}
  <fieldset disabled={!may}>
    <div class="grid">
      <label
        >{t.mass} ({MASS.label})<input class="input figure" bind:value={mass} inputmode="decimal" /></label
      >
      <label
        >{t.power} ({POWER.label})<input class="input figure" bind:value={power} inputmode="decimal" /></label
      >
      <label>{t.finalDrive}<input class="input figure" bind:value={final} inputmode="decimal" /></label>
      <label
        >{t.gearsField}<input class="input figure" bind:value={gears} placeholder="3.2, 2.1, 1.6" /></label
      >
      <label>{t.tyres}<input class="input" maxlength="200" bind:value={tyres} /></label>
    </div>
    <h3>{t.limits}</h3>
    <div class="limits">
      {#each limits as own, i (i)}
        <div class="limit">
          <select class="select" aria-label={t.channel} bind:value={own.role}>
            {#each choices as role (role.role)}<option value={role.role}>{role.label}</option>{/each}
          </select>
          <select
            class="select"
            aria-label={t.limits}
            value={own.over ? 'over' : 'under'}
            onchange={(e) => (own.over = e.currentTarget.value === 'over')}
          >
            <option value="over">{t.side.over}</option><option value="under">{t.side.under}</option>
          </select>
          <label class="short"
            ><input
              class="input figure"
              aria-label={t.value}
              bind:value={own.value}
              inputmode="decimal"
            />{unitOfRole(own.role).label}</label
          >
          <label class="short"
            ><span class="muted">{t.atLeast}</span><input
              class="input figure"
              bind:value={own.least}
              inputmode="decimal"
            /></label
          >
          <select class="select" aria-label={t.when} bind:value={own.when}>
            <option value="">{t.always}</option>
            {#each roles as role (role.role)}<option value={role.role}>{t.when} {role.label}</option>{/each}
          </select>
          {#if own.when}
            <label class="short"
              ><span class="muted">{t.above}</span><input
                class="input figure"
                bind:value={own.above}
                inputmode="decimal"
              />{unitOfRole(own.when).label}</label
            >
          {/if}
          <button
            type="button"
            class="may"
            aria-label={t.removeLimit}
            title={t.removeLimit}
            onclick={() => (limits = limits.filter((_, k) => k !== i))}><Trash2 size={14} /></button
          >
        </div>
      {/each}
      <button
        type="button"
        class="may"
        onclick={() =>
          (limits = [
            ...limits,
            {
              role: roles.some((own) => own.role === 'engine_speed')
                ? 'engine_speed'
                : (roles[0]?.role ?? 'engine_speed'),
              over: true,
              value: '',
              least: '',
              when: '',
              above: '',
            },
          ])}>{t.addLimit}</button
      >
    </div>
    <h3>{t.setUps}</h3>
    {#each setUps as own, i (i)}
      <div class="limit">
        <input class="input" type="date" aria-label={t.dayOf} bind:value={own.day} />
        <textarea class="input" rows="2" aria-label={t.setUp} maxlength="4000" bind:value={own.text}
        ></textarea>
        <button
          type="button"
          class="may"
          aria-label={t.removeSetUp}
          title={t.removeSetUp}
          onclick={() => (setUps = setUps.filter((_, k) => k !== i))}><Trash2 size={14} /></button
        >
      </div>
    {/each}
    <button
      type="button"
      class="may"
      onclick={() => (setUps = [...setUps, { day: new Date().toISOString().slice(0, 10), text: '' }])}
      >{t.addSetUp}</button
    >
  </fieldset>
  {#snippet footer()}
    {#if may}<button type="button" class="do" onclick={() => void keep()}>{t.keep}</button>{/if}
  {/snippet}
</Sheet>

<style>
  .grid {
    display: grid;
    grid-template-columns: repeat(auto-fill, minmax(170px, 1fr));
    gap: 8px 14px;
  }
  label {
    display: grid;
    font-size: 12px;
    gap: 1px;
  }
  .input,
  .select {
    min-height: 30px;
    padding: 2px 8px;
    font-size: 13px;
  }
  .select {
    padding-right: 24px;
    width: auto;
  }
  h3 {
    font-size: 14px;
    font-weight: 620;
    margin: 14px 0 4px;
  }
  .limits {
    display: grid;
    gap: 6px;
    justify-items: start;
  }
  .limit {
    display: flex;
    flex-wrap: wrap;
    gap: 6px;
    align-items: center;
    margin-bottom: 4px;
  }
  .short {
    display: flex;
    align-items: center;
    gap: 4px;
  }
  .short .input {
    width: 76px;
  }
  .limit input[type='date'] {
    width: auto;
  }
  textarea {
    border: 1px solid var(--rule);
    border-radius: 4px;
    background: var(--sheet);
    flex: 1;
    min-width: 220px;
  }
  .may {
    min-height: 30px;
    padding: 0 10px;
    font-size: 13px;
  }
</style>
