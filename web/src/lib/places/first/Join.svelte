<!-- Whoever opens an invitation comes into the team. -->
<script lang="ts">
  import { goto } from '$app/navigation';
  import { page } from '$app/state';
  import { api, done, type InvitationPage } from '$lib/api/client';
  import { present } from '$lib/session/present.svelte';
  import { day } from '$lib/quantities/dates.svelte';
  import NewPerson from '$lib/places/first/NewPerson.svelte';
  import Mark from '$lib/parts/Mark.svelte';
  import Trouble from '$lib/parts/Trouble.svelte';
  import { texts } from '$lib/words';

  const t = texts.join;
  const params = { path: { token: page.params.token ?? '' } };
  let told = $state<InvitationPage | null>(null);
  let name = $state('');
  let email = $state('');
  let password = $state('');
  let busy = $state(false);
  let trouble = $state<unknown>(null);

  async function begin(): Promise<void> {
    trouble = null;
    try {
      told = await done(api.GET('/api/invitation/{token}', { params }));
    } catch (error) {
      trouble = error;
    }
  }
  void begin();

  async function join(event: SubmitEvent): Promise<void> {
    event.preventDefault();
    busy = true;
    trouble = null;
    try {
      const body = { name, email, password };
      present.take(await done(api.POST('/api/invitation/{token}', { params, body })));
      await goto('/paddock', { replaceState: true });
    } catch (error) {
      trouble = error;
    } finally {
      busy = false;
    }
  }
</script>

<svelte:head><title>{t.title} · {texts.name}</title></svelte:head>

<div class="page">
  <form onsubmit={join}>
    <Mark />
    {#if told}
      <h1>{t.into(told.team)}</h1>
      <p class="muted">{t.as[told.role]} {t.until(day(told.expires_at.slice(0, 10)))}</p>
      <NewPerson bind:name bind:email bind:password shortest={told.shortest} />
      {#if trouble}<Trouble error={trouble} />{/if}
      <button class="do" disabled={busy}>{busy ? texts.signIn.busy : t.go}</button>
    {:else if trouble}
      <Trouble error={trouble} />
      <a class="may" href="/sign-in">{texts.signIn.go}</a>
    {:else}
      <p class="muted">{texts.loading}</p>
    {/if}
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
    width: min(420px, 100%);
    display: grid;
    gap: 14px;
    padding: 28px;
    background: var(--sheet);
    border: 1px solid var(--rule);
    border-radius: 6px;
  }
  h1 {
    font-size: 20px;
    font-weight: 640;
    overflow-wrap: anywhere;
  }
  .do,
  .may {
    justify-content: center;
  }
</style>
