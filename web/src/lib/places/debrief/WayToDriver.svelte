<!-- How a debrief that was given reaches its driver: the personal link, made here where there is none. -->
<script lang="ts">
  import { createQuery } from '@tanstack/svelte-query';
  import { Printer, QrCode } from '@lucide/svelte';
  import { api, done, type LinkOut } from '$lib/api/client';
  import { keys } from '$lib/api/keys';
  import LinkSheet from '$lib/parts/LinkSheet.svelte';
  import { texts } from '$lib/words';

  let { driver, name, paper }: { driver: number; name: string; paper: string } = $props();

  const t = texts.debrief.way;
  const DAYS = 14;
  const links = createQuery(() => ({ queryKey: keys.links(), queryFn: () => done(api.GET('/api/links')) }));
  const own = $derived(links.data?.links.find((one) => one.driver.id === driver));
  let made = $state.raw<LinkOut | null>(null);
  let open = $state(false);
  let trouble = $state('');

  async function show(): Promise<void> {
    trouble = '';
    try {
      made = own ?? (await done(api.POST('/api/links', { body: { driver: name, days: DAYS } })));
      open = true;
      if (!own) await links.refetch();
    } catch (error) {
      trouble = error instanceof Error ? error.message : String(error);
    }
  }
</script>

<p class="way">
  <button type="button" class="may" disabled={!links.data} onclick={() => void show()}
    ><QrCode size={15} aria-hidden="true" />{own || !links.data ? t.show : t.make}</button
  >
  <a class="may" href={paper} target="_blank" rel="noopener"
    ><Printer size={15} aria-hidden="true" />{t.print}</a
  >
</p>
{#if trouble}<p class="small loss">{trouble}</p>{/if}
{#if made}<LinkSheet link={made} bind:open reachable={links.data?.reachable ?? true} />{/if}

<style>
  .way {
    display: flex;
    flex-wrap: wrap;
    gap: 8px;
    margin: 6px 0;
  }
  .small {
    font-size: 12px;
  }
</style>
