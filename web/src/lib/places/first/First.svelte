<!-- The first page of an installation: one's own team, or a look around with the demo school. -->
<script lang="ts">
  import { goto } from '$app/navigation';
  import { page } from '$app/state';
  import { api, done, type Me } from '$lib/api/client';
  import { present } from '$lib/session/present.svelte';
  import NewPerson from '$lib/places/first/NewPerson.svelte';
  import Mark from '$lib/parts/Mark.svelte';
  import Trouble from '$lib/parts/Trouble.svelte';
  import { texts } from '$lib/words';

  const t = texts.first;
  const code = page.url.hash.slice(1);
  let opens = $state<boolean | null>(null);
  let shortest = $state(10);
  let team = $state('');
  let name = $state('');
  let email = $state('');
  let password = $state('');
  let units = $state<Me['units']>('metric');
  let look = $state<Me['look']>('system');
  let dates = $state<Me['dates']>('en-GB');
  let busy = $state<'' | 'team' | 'demo'>('');
  let trouble = $state<unknown>(null);

  async function begin(): Promise<void> {
    trouble = null;
    try {
      const answer = await done(api.POST('/api/first/open', { body: { code } }));
      opens = answer.open;
      shortest = answer.shortest;
    } catch (error) {
      trouble = error;
    }
  }
  void begin();

  async function attempt(what: 'team' | 'demo', work: () => Promise<void>): Promise<void> {
    busy = what;
    trouble = null;
    try {
      await work();
    } catch (error) {
      trouble = error;
    } finally {
      busy = '';
    }
  }

  const make = (event: SubmitEvent) => {
    event.preventDefault();
    return attempt('team', async () => {
      const body = { code, team, name, email, password, units, look, dates };
      present.take(await done(api.POST('/api/first', { body })));
      await goto('/hand-in', { replaceState: true });
    });
  };
  const lookAround = () =>
    attempt('demo', async () => {
      present.take(await done(api.POST('/api/first/demo', { body: { code } })));
      await goto('/hand-in');
    });
</script>

<svelte:head><title>{t.title} · {texts.name}</title></svelte:head>

<div class="page">
  <div class="sheet-of-paper">
    <Mark />
    {#if opens === false}
      <h1>{t.closed}</h1>
      <p>{t.closedWhy}</p>
      <a class="do" href="/sign-in">{texts.signIn.go}</a>
    {:else if opens}
      <h1>{t.title}</h1>
      <p class="muted">{t.lead}</p>
      <div class="two">
        <form onsubmit={make}>
          <h2>{t.own}</h2>
          <label class="label"
            ><span>{t.team}</span>
            <input
              class="input"
              maxlength="200"
              required
              placeholder={t.teamExample}
              bind:value={team}
            /></label
          >
          <NewPerson bind:name bind:email bind:password {shortest} />
          <div class="row">
            <label class="label"
              ><span>{texts.account.units}</span>
              <select class="select" bind:value={units}>
                <option value="metric">{texts.account.metricLong}</option>
                <option value="imperial">{texts.account.imperialLong}</option>
              </select></label
            >
            <label class="label"
              ><span>{texts.account.dates}</span>
              <select class="select" bind:value={dates}>
                {#each texts.account.dateLanguages as [value, label] (value)}<option {value}>{label}</option
                  >{/each}
              </select></label
            >
            <label class="label"
              ><span>{texts.account.look}</span>
              <select class="select" bind:value={look}>
                <option value="system">{texts.account.system}</option>
                <option value="light">{texts.account.light}</option>
                <option value="dark">{texts.account.dark}</option>
              </select></label
            >
          </div>
          {#if trouble}<Trouble error={trouble} />{/if}
          <button class="do" disabled={busy !== ''}>{busy === 'team' ? t.making : t.make}</button>
        </form>
        <aside>
          <h2>{t.demo}</h2>
          <p class="muted">{t.demoWhy}</p>
          <button type="button" class="may" disabled={busy !== ''} onclick={lookAround}
            >{busy === 'demo' ? t.making : t.lookAround}</button
          >
        </aside>
      </div>
    {:else if trouble}
      <Trouble error={trouble} again={begin} />
    {:else}
      <p class="muted">{texts.loading}</p>
    {/if}
  </div>
</div>

<style>
  .page {
    min-height: 100dvh;
    display: grid;
    place-items: center;
    padding: 24px;
  }
  .sheet-of-paper {
    width: min(860px, 100%);
    display: grid;
    gap: 12px;
    justify-items: start;
    padding: 30px 34px 34px;
    background: var(--sheet);
    border: 1px solid var(--rule);
    border-radius: 6px;
  }
  h1 {
    font-size: 22px;
    font-weight: 640;
    margin-top: 8px;
  }
  h2 {
    font-size: 16px;
    font-weight: 620;
  }
  .two {
    display: grid;
    grid-template-columns: minmax(0, 1.7fr) minmax(0, 1fr);
    gap: 40px;
    width: 100%;
    margin-top: 10px;
  }
  form,
  aside {
    display: grid;
    gap: 14px;
    align-content: start;
    justify-items: stretch;
  }
  aside {
    border-left: 1px solid var(--rule);
    padding-left: 28px;
    justify-items: start;
  }
  .row {
    display: grid;
    grid-template-columns: repeat(3, minmax(0, 1fr));
    gap: 12px;
  }
  form .do {
    justify-content: center;
  }
  @media (max-width: 760px) {
    .two,
    .row {
      grid-template-columns: minmax(0, 1fr);
    }
    aside {
      border-left: 0;
      border-top: 1px solid var(--rule);
      padding: 18px 0 0;
    }
  }
</style>
