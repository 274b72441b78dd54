<!-- Account and team: who one is, who else belongs to the team, what the team has, and how it goes. -->
<script lang="ts">
  import { goto } from '$app/navigation';
  import { createQuery, useQueryClient } from '@tanstack/svelte-query';
  import { api, done } from '$lib/api/client';
  import { keys } from '$lib/api/keys';
  import Me from '$lib/places/account/Me.svelte';
  import People from '$lib/places/account/People.svelte';
  import Things from '$lib/places/account/Things.svelte';
  import Book from '$lib/parts/Book.svelte';
  import { note } from '$lib/parts/notes.svelte';
  import Trouble from '$lib/parts/Trouble.svelte';
  import { present } from '$lib/session/present.svelte';
  import { texts } from '$lib/words';

  const t = texts.account;
  const queries = useQueryClient();
  const leads = $derived(present.me?.role === 'owner' || present.me?.role === 'coach');
  const owner = $derived(present.me?.role === 'owner');
  const team = createQuery(() => ({
    queryKey: keys.team(),
    queryFn: () => done(api.GET('/api/team')),
    enabled: present.me?.role !== 'driver',
  }));
  const parts = $derived(
    [
      ['you', t.me, true],
      ['people', t.team, present.me?.role !== 'driver'],
      ['has', t.has, leads],
      ['more', t.demo, owner],
    ].filter((part) => part[2]) as [string, string, boolean][],
  );
  let typed = $state('');
  let trouble = $state<unknown>(null);
  let busy = $state(false);

  async function attempt(work: () => Promise<void>): Promise<void> {
    busy = true;
    trouble = null;
    try {
      await work();
    } catch (error) {
      trouble = error;
    } finally {
      busy = false;
    }
  }
  const lookAround = () =>
    attempt(async () => {
      present.take(await done(api.POST('/api/demo')));
      queries.clear();
      await goto('/hand-in');
    });
  const removeDemo = () =>
    attempt(async () => {
      const there = present.me?.demo;
      present.take(await done(api.DELETE('/api/demo')));
      note(t.demoRemoved);
      if (there) {
        await present.load();
        await goto('/sign-in');
      } else await team.refetch();
    });
  const removeTeam = (event: SubmitEvent) => {
    event.preventDefault();
    return attempt(async () => {
      await done(api.DELETE('/api/team', { body: { name: typed } }));
      await present.load();
      await goto('/sign-in');
    });
  };
</script>

<svelte:head><title>{t.title} · {texts.name}</title></svelte:head>

<Book>
  {#snippet left()}
    <h1>{present.me?.name}</h1>
    <p>{t.roles[present.me?.role ?? ''] ?? ''}, {present.me?.team}</p>
    <p class="muted">{present.me?.email}</p>
    <nav aria-label={t.page}>
      {#each parts as [place, label] (place)}<a href="#{place}">{label}</a>{/each}
    </nav>
  {/snippet}

  <div class="sections">
    <div id="you"><Me /></div>
    {#if present.me?.role !== 'driver'}<div id="people"><People /></div>{/if}
    {#if leads}<div id="has"><Things /></div>{/if}
    {#if owner}
      <section id="more">
        {#if trouble}<Trouble error={trouble} />{/if}
        <h2>{t.demo}</h2>
        <p class="muted">{t.demoWhy}</p>
        <div class="line">
          {#if !present.me?.demo}
            <button type="button" class="may" disabled={busy} onclick={lookAround}>{t.lookAround}</button>
          {/if}
          {#if team.data?.demo_here}
            <button type="button" class="may" disabled={busy} onclick={removeDemo}>{t.removeDemo}</button>
          {/if}
        </div>
        {#if !present.me?.demo}
          <h2>{t.removeTeam}</h2>
          <p class="muted">{t.removeTeamWhy(present.me?.team ?? '')}</p>
          <form class="line" onsubmit={removeTeam}>
            <label class="label"
              ><span>{t.typeName(present.me?.team ?? '')}</span><input
                class="input"
                autocomplete="off"
                bind:value={typed}
              /></label
            >
            <button class="may" disabled={busy || typed.trim() !== present.me?.team}>{t.removeTeam}</button>
          </form>
        {/if}
      </section>
    {/if}
  </div>
</Book>

<style>
  h1 {
    font-size: 20px;
    font-weight: 640;
    margin: 18px 0 6px;
    overflow-wrap: anywhere;
  }
  nav {
    display: grid;
    margin-top: 18px;
    border-top: 1px solid var(--rule);
  }
  nav a {
    padding: 9px 0;
    color: var(--ink);
    border-bottom: 1px solid var(--rule);
  }
  .sections {
    display: grid;
    gap: 30px;
    max-width: 940px;
    padding: 8px 0 60px;
  }
  .sections :global(h2) {
    font-size: 18px;
    font-weight: 640;
    margin: 6px 0 8px;
  }
  .sections :global(h3) {
    font-weight: 620;
    margin: 16px 0 4px;
  }
  .line {
    display: flex;
    flex-wrap: wrap;
    gap: 10px;
    align-items: end;
    margin: 8px 0 16px;
  }
  .line .label {
    flex: 1 1 260px;
    max-width: 420px;
  }
</style>
