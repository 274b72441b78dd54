<!-- A passage as it was driven, drawn by the server as it is on the sheet. -->
<script lang="ts">
  import { createQuery } from '@tanstack/svelte-query';
  import { fetchFile } from '$lib/api/client';
  import { keys } from '$lib/api/keys';
  import Drawn from '$lib/parts/Drawn.svelte';
  import { present } from '$lib/session/present.svelte';
  import { texts } from '$lib/words';

  interface Props {
    run: number;
    passage: string;
    corner?: string | null;
    name: string;
    /** what is shown: a part of the address, so that a kept picture is never an old one */
    shows: string;
    of: 'map' | 'curves';
    /** the figure that the curves are to show */
    code?: string | null;
    small?: boolean;
  }
  let { run, passage, corner = null, name, shows, of, code = null, small = false }: Props = $props();

  const t = texts.debrief;
  const address = $derived(
    `/api/debriefs/runs/${run}/picture?${new URLSearchParams({
      passage,
      of,
      units: present.units,
      v: `${present.build}.${shows}`.slice(0, 80),
      ...(corner ? { corner } : {}),
      ...(code ? { figure: code } : {}),
    })}`,
  );
  const found = createQuery(() => ({
    queryKey: keys.passagePicture(address),
    queryFn: async () => (await fetchFile(address)).text(),
    staleTime: Infinity,
  }));
</script>

<div class="holder {of}" class:small>
  {#if found.error}
    <p class="muted">{texts.notDrawn}</p>
  {:else if found.data}
    <Drawn svg={found.data} label={of === 'map' ? t.map(name) : t.curves(name)} />
  {/if}
</div>

<style>
  /* Room is kept for what is still being drawn. */
  .holder {
    aspect-ratio: 340 / 210;
  }
  .curves {
    aspect-ratio: auto;
    min-height: 90px;
  }
  .small {
    width: 116px;
    flex: none;
  }
  p {
    font-size: 12.5px;
  }
</style>
