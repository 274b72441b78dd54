<!-- Personal links: made for a driver, shown as a QR code, taken back. -->
<script lang="ts">
  import { createQuery } from '@tanstack/svelte-query';
  import { QrCode } from '@lucide/svelte';
  import { api, done, type LinkOut } from '$lib/api/client';
  import { keys } from '$lib/api/keys';
  import { noteUndo } from '$lib/parts/notes.svelte';
  import LinkSheet from '$lib/parts/LinkSheet.svelte';
  import Trouble from '$lib/parts/Trouble.svelte';
  import { texts } from '$lib/words';
  import { day } from '$lib/quantities/dates.svelte';

  interface Props {
    /** a driver for whom a link is wanted, from the address */
    wanted?: string;
  }
  let { wanted = '' }: Props = $props();
  const t = texts.handIn.links;
  const links = createQuery(() => ({ queryKey: keys.links(), queryFn: () => done(api.GET('/api/links')) }));
  let driver = $state('');
  let days = $state(14);
  let shown = $state<LinkOut | null>(null);
  let trouble = $state<unknown>(null);
  $effect(() => {
    if (wanted) driver = wanted;
  });
  let open = $state(false);
  $effect(() => {
    if (!open) shown = null;
  });

  async function attempt(work: () => Promise<void>): Promise<void> {
    trouble = null;
    try {
      await work();
    } catch (error) {
      trouble = error;
    }
    await links.refetch();
  }

  const make = (event: SubmitEvent) => {
    event.preventDefault();
    if (!driver.trim()) return;
    void attempt(async () => {
      show(await done(api.POST('/api/links', { body: { driver: driver.trim(), days } })));
      driver = '';
    });
  };

  function show(link: LinkOut): void {
    shown = link;
    open = true;
  }

  const revoke = (link: LinkOut) =>
    attempt(async () => {
      await done(api.DELETE('/api/links/{link_id}', { params: { path: { link_id: link.id } } }));
      open = false;
      noteUndo(t.revoked(link.driver.name), () =>
        attempt(async () => {
          await done(api.POST('/api/links/{link_id}/restore', { params: { path: { link_id: link.id } } }));
        }),
      );
    });
</script>

<section>
  <h2>{t.title}</h2>
  {#if links.data && !links.data.links.length}<p class="muted hint">{t.lead}</p>{/if}
  {#if trouble ?? links.error}<Trouble error={trouble ?? links.error} />{/if}
  <ul>
    {#each links.data?.links ?? [] as link (link.id)}
      <li>
        <span class="who">{link.driver.name}</span>
        <span class="muted hint"
          >{link.last_used_at ? t.used(day(link.last_used_at.slice(0, 10))) : t.unused}</span
        >
        <button
          type="button"
          class="icon"
          aria-label={t.show(link.driver.name)}
          title={t.show(link.driver.name)}
          onclick={() => show(link)}><QrCode size={18} /></button
        >
      </li>
    {/each}
  </ul>
  <form onsubmit={make}>
    <input
      class="input"
      list="drivers"
      maxlength="200"
      aria-label={t.driver}
      placeholder={t.driver}
      bind:value={driver}
    />
    <select class="select" aria-label={t.days} bind:value={days}>
      {#each [1, 3, 14, 60, 366] as n (n)}<option value={n}>{t.day(n)}</option>{/each}
    </select>
    <button type="submit" class="may" disabled={!driver.trim()}>{t.make}</button>
  </form>
</section>

{#if shown}
  {@const link = shown}
  <LinkSheet {link} bind:open reachable={links.data?.reachable ?? true}>
    {#snippet more()}
      <button type="button" class="may" onclick={() => void revoke(link)}>{t.revoke}</button>
    {/snippet}
  </LinkSheet>
{/if}

<style>
  li {
    display: grid;
    grid-template-columns: minmax(0, 1fr) auto 32px;
    gap: 8px;
    align-items: center;
    border-bottom: 1px solid var(--rule);
  }
  .who {
    font-weight: 560;
    overflow: hidden;
    text-overflow: ellipsis;
    white-space: nowrap;
  }
  .hint {
    font-size: 12.5px;
  }
  form {
    display: grid;
    grid-template-columns: minmax(0, 1fr) 112px auto;
    gap: 6px;
    margin-top: 8px;
  }
  .input,
  .select {
    padding: 3px 8px;
    min-width: 0;
  }
  .select {
    padding-right: 26px;
  }
</style>
