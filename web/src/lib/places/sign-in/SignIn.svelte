<script lang="ts">
  import { goto } from '$app/navigation';
  import { page } from '$app/state';
  import { api, done } from '$lib/api/client';
  import { present } from '$lib/session/present.svelte';
  import Mark from '$lib/parts/Mark.svelte';
  import Trouble from '$lib/parts/Trouble.svelte';
  import { texts } from '$lib/words';

  let email = $state('');
  let password = $state('');
  let busy = $state(false);
  let trouble = $state<unknown>(null);
  const t = texts.signIn;

  async function signIn(event: SubmitEvent): Promise<void> {
    event.preventDefault();
    busy = true;
    trouble = null;
    try {
      present.take(await done(api.POST('/api/session', { body: { email, password } })));
      const to = page.url.searchParams.get('to') ?? '/paddock';
      // Only places inside the application: an address from outside must not lead away.
      await goto(to.startsWith('/') && !to.startsWith('//') && !to.includes('\\') ? to : '/paddock', {
        replaceState: true,
      });
    } catch (error) {
      trouble = error;
    } finally {
      busy = false;
    }
  }
</script>

<svelte:head><title>{t.title} · {texts.name}</title></svelte:head>

<div class="page">
  <form onsubmit={signIn}>
    <Mark />
    <p class="muted">{t.lead}</p>
    {#if present.empty}<p class="hint">{t.nobodyYet}</p>{/if}
    <label class="label"
      ><span>{t.email}</span>
      <input class="input" type="email" autocomplete="username" required bind:value={email} /></label
    >
    <label class="label"
      ><span>{t.password}</span>
      <input
        class="input"
        type="password"
        autocomplete="current-password"
        required
        bind:value={password}
      /></label
    >
    <button class="do" disabled={busy}>{busy ? t.busy : t.go}</button>
    {#if trouble}<Trouble error={trouble} />{/if}
  </form>
</div>

<style>
  .page {
    min-height: 100dvh;
    display: grid;
    place-items: center;
    padding: 20px;
  }
  form {
    width: min(360px, 100%);
    display: grid;
    gap: 14px;
    padding: 28px;
    background: var(--sheet);
    border: 1px solid var(--rule);
    border-radius: 6px;
  }
  .hint {
    border-left: 3px solid var(--brass);
    padding-left: 10px;
  }
  .do {
    justify-content: center;
  }
</style>
