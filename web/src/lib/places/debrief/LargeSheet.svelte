<!-- The sheet on the coach's screen, for pointing at. -->
<script lang="ts">
  import { page } from '$app/state';
  import { createQuery } from '@tanstack/svelte-query';
  import { ArrowLeft } from '@lucide/svelte';
  import { api, done } from '$lib/api/client';
  import { keys } from '$lib/api/keys';
  import Trouble from '$lib/parts/Trouble.svelte';
  import SheetView from '$lib/places/debrief/SheetView.svelte';
  import { present } from '$lib/session/present.svelte';
  import { texts } from '$lib/words';

  const t = texts.debrief;
  const debrief = $derived(Number(page.url.searchParams.get('debrief')) || 0);
  const sheet = createQuery(() => ({
    queryKey: keys.debriefSheet(debrief, present.units),
    queryFn: () =>
      done(
        api.GET('/api/debriefs/{debrief_id}/sheet', {
          params: { path: { debrief_id: debrief }, query: { units: present.units } },
        }),
      ),
  }));
  const back = $derived(sheet.data?.run ? `/debrief?run=${sheet.data.run}` : '/debrief');
</script>

<svelte:head
  ><title>{sheet.data ? t.sheetTitle(sheet.data.driver) : t.title} · {texts.name}</title></svelte:head
>

<main>
  <a class="may back" href={back}><ArrowLeft size={15} aria-hidden="true" />{t.back}</a>
  {#if sheet.error && !sheet.data}
    <Trouble error={sheet.error} again={() => void sheet.refetch()} />
  {:else if sheet.data}
    <SheetView sheet={sheet.data} large />
  {:else}
    <p class="muted" role="status">{texts.loading}</p>
  {/if}
</main>

<style>
  main {
    max-width: 1180px;
    margin: 0 auto;
    padding: 16px 24px 60px;
    display: grid;
    gap: 12px;
  }
  .back {
    justify-self: start;
  }
</style>
