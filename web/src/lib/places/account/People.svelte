<!-- Who belongs to the team, and how others come in. -->
<script lang="ts">
  import { createQuery } from '@tanstack/svelte-query';
  import { api, done, type InvitationOut, type TeamOut } from '$lib/api/client';
  import { keys } from '$lib/api/keys';
  import { note } from '$lib/parts/notes.svelte';
  import Sheet from '$lib/parts/Sheet.svelte';
  import Trouble from '$lib/parts/Trouble.svelte';
  import { day, moment } from '$lib/quantities/dates.svelte';
  import { present } from '$lib/session/present.svelte';
  import { texts } from '$lib/words';

  const t = texts.account;
  type Person = TeamOut['people'][number];
  type Role = 'owner' | 'coach' | 'assistant';
  const team = createQuery(() => ({ queryKey: keys.team(), queryFn: () => done(api.GET('/api/team')) }));
  const owner = $derived(present.me?.role === 'owner');
  let name = $state(present.me?.team ?? '');
  let role = $state<Role>('coach');
  let days = $state(7);
  let shown = $state<InvitationOut | null>(null);
  let leaving = $state<Person | null>(null);
  let trouble = $state<unknown>(null);

  async function attempt(work: () => Promise<string | null>): Promise<void> {
    trouble = null;
    try {
      const said = await work();
      if (said) note(said);
      await team.refetch();
    } catch (error) {
      trouble = error;
    }
  }

  const rename = (event: SubmitEvent) => {
    event.preventDefault();
    return attempt(async () => {
      await done(api.PATCH('/api/team', { body: { name } }));
      await present.load();
      return t.kept;
    });
  };
  const become = (person: Person, to: string) =>
    attempt(async () => {
      const params = { path: { account_id: person.id } };
      const was = person.role === 'driver' ? null : person.role;
      await done(api.PATCH('/api/people/{account_id}', { params, body: { role: to as Role, was } }));
      return t.kept;
    });
  const takeOut = (person: Person) =>
    attempt(async () => {
      leaving = null;
      await done(api.DELETE('/api/people/{account_id}', { params: { path: { account_id: person.id } } }));
      return null;
    });
  const invite = (event: SubmitEvent) => {
    event.preventDefault();
    return attempt(async () => {
      shown = await done(api.POST('/api/invitations', { body: { role, days } }));
      return null;
    });
  };
  const revoke = (row: InvitationOut) =>
    attempt(async () => {
      const params = { path: { invitation_id: row.id } };
      await done(api.DELETE('/api/invitations/{invitation_id}', { params }));
      return t.revoked;
    });

  async function copy(address: string): Promise<void> {
    await navigator.clipboard.writeText(address);
    note(t.copied);
  }
</script>

<section>
  <h2>{t.team}</h2>
  {#if trouble}<Trouble error={trouble} />{/if}
  {#if owner}
    <form class="line" onsubmit={rename}>
      <label class="label"
        ><span>{t.teamName}</span><input class="input" maxlength="200" required bind:value={name} /></label
      >
      <button class="may" disabled={name.trim() === present.me?.team || !name.trim()}>{t.keep}</button>
    </form>
  {/if}

  <h3>{t.people}</h3>
  <p class="muted small">{t.rolesWhy}</p>
  {#if team.error}<Trouble error={team.error} again={() => void team.refetch()} />{/if}
  <ul>
    {#each team.data?.people ?? [] as person (person.id)}
      <li>
        <span class="who"><strong>{person.name}</strong><span class="muted">{person.email}</span></span>
        <span class="muted seen">{person.used_at ? t.since(moment(person.used_at)) : t.never}</span>
        {#if owner && person.role !== 'driver'}
          <select
            class="select"
            aria-label={t.roleOf(person.name)}
            value={person.role}
            onchange={(event) => become(person, event.currentTarget.value)}
          >
            {#each ['owner', 'coach', 'assistant'] as item (item)}<option value={item}>{t.roles[item]}</option
              >{/each}
          </select>
        {:else}<span>{t.roles[person.role]}</span>{/if}
        {#if owner && !person.me}
          <button
            type="button"
            class="may"
            aria-label={t.takeOutWho(person.name)}
            onclick={() => (leaving = person)}>{t.takeOut}</button
          >
        {/if}
      </li>
    {/each}
  </ul>

  {#if owner}
    <h3>{t.invite}</h3>
    <form class="line" onsubmit={invite}>
      <label class="inline"
        ><span>{t.inviteAs}</span>
        <select class="select" bind:value={role}>
          {#each ['coach', 'assistant', 'owner'] as item (item)}<option value={item}>{t.roles[item]}</option
            >{/each}
        </select></label
      >
      <label class="inline"
        ><span>{t.inviteFor}</span>
        <select class="select" bind:value={days}>
          {#each [1, 7, 30, 60] as n (n)}<option value={n}>{t.days(n)}</option>{/each}
        </select></label
      >
      <button class="may">{t.makeLink}</button>
    </form>
    <ul>
      {#each team.data?.invitations ?? [] as row (row.id)}
        <li>
          <span class="who"
            >{t.invitation(t.roles[row.role] ?? row.role, day(row.expires_at.slice(0, 10)))}</span
          >
          <button type="button" class="may" onclick={() => (shown = row)}>{t.qr}</button>
          <button type="button" class="may" onclick={() => revoke(row)}>{t.revoke}</button>
        </li>
      {/each}
    </ul>
  {/if}
</section>

{#if shown}
  {@const row = shown}
  <Sheet
    bind:open={() => shown !== null, (open) => (shown = open ? shown : null)}
    title={t.invitation(t.roles[row.role] ?? row.role, day(row.expires_at.slice(0, 10)))}
  >
    <div class="link">
      <img alt={t.qr} src="data:image/svg+xml;utf8,{encodeURIComponent(row.qr_svg)}" />
      <div class="address">
        <input class="input" readonly aria-label={t.copy} value={row.address} />
        <button type="button" class="do" onclick={() => copy(row.address)}>{t.copy}</button>
        {#if team.data && !team.data.reachable}<p class="muted">{t.loopback}</p>{/if}
      </div>
    </div>
  </Sheet>
{/if}

{#if leaving}
  {@const person = leaving}
  <Sheet
    bind:open={() => leaving !== null, (open) => (leaving = open ? leaving : null)}
    title={t.takeOutWho(person.name)}
  >
    <p>{t.takeOutSure(person.name)}</p>
    {#snippet footer()}
      <button type="button" class="may" onclick={() => (leaving = null)}>{texts.cancel}</button>
      <button type="button" class="do" onclick={() => takeOut(person)}>{t.takeOut}</button>
    {/snippet}
  </Sheet>
{/if}

<style>
  .line {
    display: flex;
    flex-wrap: wrap;
    gap: 10px 14px;
    align-items: end;
    margin-bottom: 8px;
  }
  .line .label {
    flex: 1 1 260px;
    max-width: 400px;
  }
  .inline {
    display: flex;
    gap: 8px;
    align-items: center;
  }
  .small {
    font-size: 13px;
    max-width: 70ch;
  }
  li {
    display: flex;
    flex-wrap: wrap;
    gap: 6px 14px;
    align-items: center;
    min-height: 48px;
    padding: 6px 0;
    border-bottom: 1px solid var(--rule);
  }
  .who {
    display: grid;
    flex: 1 1 200px;
    min-width: 0;
    overflow-wrap: anywhere;
  }
  .who span,
  .seen {
    font-size: 13px;
  }
  .select {
    width: auto;
  }
  .link {
    display: grid;
    grid-template-columns: 200px minmax(0, 1fr);
    gap: 20px;
    align-items: center;
  }
  .link img {
    background: #fff;
    width: 200px;
    height: 200px;
  }
  .address {
    display: grid;
    gap: 12px;
    justify-items: start;
  }
  @media (max-width: 560px) {
    .link {
      grid-template-columns: minmax(0, 1fr);
    }
  }
</style>
