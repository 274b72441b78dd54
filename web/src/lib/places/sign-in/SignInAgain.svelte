<!-- The session ended in the middle of something: the password over the page; nothing that was typed is lost. -->
<script lang="ts">
  import { api, done } from '$lib/api/client';
  import { again } from '$lib/session/again.svelte';
  import { present } from '$lib/session/present.svelte';
  import Sheet from '$lib/parts/Sheet.svelte';
  import Trouble from '$lib/parts/Trouble.svelte';
  import { texts } from '$lib/words';

  const t = texts.signIn;
  const before = present.me?.email ?? '';
  let email = $state(before);
  let password = $state('');
  let busy = $state(false);
  let trouble = $state<unknown>(null);
  let open = $state(true);

  $effect(() => {
    if (!open) again.end(false);
  });

  async function signIn(event: SubmitEvent): Promise<void> {
    event.preventDefault();
    busy = true;
    trouble = null;
    try {
      present.take(await done(api.POST('/api/session', { body: { email, password } })));
      // Somebody else's page must not be filled with one's own rows, nor the other way round.
      if (before && present.me?.email !== before) location.reload();
      else again.end(true);
    } catch (error) {
      trouble = error;
    } finally {
      busy = false;
    }
  }
</script>

<Sheet bind:open title={t.again}>
  <form onsubmit={signIn}>
    <p class="muted">{t.againWhy}</p>
    <label class="label"
      ><span>{t.email}</span>
      <input class="input" type="email" autocomplete="username" required bind:value={email} /></label
    >
    <label class="label"
      ><span>{t.password}</span>
      <!-- svelte-ignore a11y_autofocus -->
      <input
        class="input"
        type="password"
        autocomplete="current-password"
        required
        autofocus
        bind:value={password}
      /></label
    >
    {#if trouble}<Trouble error={trouble} />{/if}
    <button class="do" disabled={busy}>{busy ? t.busy : t.goOn}</button>
  </form>
</Sheet>

<style>
  form {
    display: grid;
    gap: 14px;
    max-width: 360px;
  }
  .do {
    justify-content: center;
  }
</style>
