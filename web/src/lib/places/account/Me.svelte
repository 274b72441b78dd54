<!-- One's own account: name, address, password, devices. -->
<script lang="ts">
  import { createQuery } from '@tanstack/svelte-query';
  import { api, done } from '$lib/api/client';
  import { keys } from '$lib/api/keys';
  import { note } from '$lib/parts/notes.svelte';
  import Trouble from '$lib/parts/Trouble.svelte';
  import { moment } from '$lib/quantities/dates.svelte';
  import { present } from '$lib/session/present.svelte';
  import { texts } from '$lib/words';

  const t = texts.account;
  const account = createQuery(() => ({
    queryKey: keys.account(),
    queryFn: () => done(api.GET('/api/account')),
  }));
  let name = $state(present.me?.name ?? '');
  let email = $state(present.me?.email ?? '');
  let password = $state('');
  let before = $state('');
  let after = $state('');
  let trouble = $state<unknown>(null);
  const moved = $derived(email.trim().toLowerCase() !== present.me?.email);
  const changed = $derived(moved || name.trim() !== present.me?.name);

  async function attempt(work: () => Promise<string>): Promise<void> {
    trouble = null;
    try {
      note(await work());
      await present.load();
      await account.refetch();
    } catch (error) {
      trouble = error;
    }
  }

  const keep = (event: SubmitEvent) => {
    event.preventDefault();
    return attempt(async () => {
      const body = { name: name.trim() || null, email: moved ? email : null, password: password || null };
      await done(api.PATCH('/api/account', { body }));
      password = '';
      return t.kept;
    });
  };
  const change = (event: SubmitEvent) => {
    event.preventDefault();
    return attempt(async () => {
      await done(api.POST('/api/account/password', { body: { present: before, new: after } }));
      [before, after] = ['', ''];
      return t.passwordChanged;
    });
  };
  const end = (id: number, device: string) =>
    attempt(async () => {
      await done(api.DELETE('/api/account/sign-ins/{sign_in_id}', { params: { path: { sign_in_id: id } } }));
      return t.ended(device);
    });
  const endOthers = () =>
    attempt(async () => {
      await done(api.DELETE('/api/account/sign-ins'));
      return t.endedOthers;
    });
</script>

<section>
  <h2>{t.me}</h2>
  {#if trouble}<Trouble error={trouble} />{/if}
  <form class="line" onsubmit={keep}>
    <label class="label"
      ><span>{t.name}</span><input
        class="input"
        autocomplete="name"
        maxlength="200"
        required
        bind:value={name}
      /></label
    >
    <label class="label"
      ><span>{texts.signIn.email}</span><input
        class="input"
        type="email"
        autocomplete="username"
        maxlength="190"
        required
        bind:value={email}
      /></label
    >
    {#if moved}
      <label class="label"
        ><span>{t.passwordForEmail}</span><input
          class="input"
          type="password"
          autocomplete="current-password"
          required
          bind:value={password}
        /></label
      >
    {/if}
    <button class="may" disabled={!changed}>{t.keep}</button>
  </form>

  <h3>{t.changePassword}</h3>
  <form class="line" onsubmit={change}>
    <label class="label"
      ><span>{t.presentPassword}</span><input
        class="input"
        type="password"
        autocomplete="current-password"
        required
        bind:value={before}
      /></label
    >
    <label class="label"
      ><span>{t.newPassword}</span><input
        class="input"
        type="password"
        autocomplete="new-password"
        required
        bind:value={after}
      /></label
    >
    <button class="may" disabled={!before || !after}>{t.changePassword}</button>
  </form>

  <h3>{t.signIns}</h3>
  {#if account.error}<Trouble error={account.error} again={() => void account.refetch()} />{/if}
  <ul>
    {#each account.data?.sign_ins ?? [] as row (row.id)}
      <li>
        <strong>{row.device}</strong>
        <span class="muted">{row.here ? t.here : t.since(moment(row.used_at))}</span>
        {#if !row.here}
          <button type="button" class="may" onclick={() => end(row.id, row.device)}>{t.end}</button>
        {/if}
      </li>
    {/each}
  </ul>
  {#if (account.data?.sign_ins.length ?? 0) > 1}
    <button type="button" class="may" onclick={endOthers}>{t.endOthers}</button>
  {/if}
</section>

<style>
  .line {
    display: flex;
    flex-wrap: wrap;
    gap: 10px 14px;
    align-items: end;
  }
  .line .label {
    flex: 1 1 200px;
    max-width: 300px;
  }
  li {
    display: flex;
    gap: 14px;
    align-items: center;
    min-height: 44px;
    border-bottom: 1px solid var(--rule);
  }
  li .may {
    margin-left: auto;
  }
  ul {
    margin-bottom: 10px;
  }
</style>
