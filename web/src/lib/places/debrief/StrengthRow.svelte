<!-- Something that is good, to be told. -->
<script lang="ts">
  import { Plus } from '@lucide/svelte';
  import type { Cue, CueIn, KeepProposal, Prepared } from '$lib/api/client';
  import PassagePicture from '$lib/places/debrief/PassagePicture.svelte';
  import { say } from '$lib/quantities/said';
  import { present } from '$lib/session/present.svelte';
  import { texts } from '$lib/words';

  interface Props {
    keep: KeepProposal;
    data: Prepared;
    leads: boolean;
    taken: Cue[];
    onask: (body: Omit<CueIn, 'run'>) => void;
  }
  let { keep, data, leads, taken, onask }: Props = $props();

  const t = texts.debrief;
  const there = $derived(taken.some((cue) => cue.kind === 'keep' && cue.passage === keep.passage));
</script>

<article>
  <PassagePicture
    run={data.run}
    passage={keep.passage}
    name={keep.corner ?? keep.passage}
    shows={data.pictures}
    of="map"
    small
  />
  <p>{say(keep.says, present.units)}</p>
  {#if leads}
    <button
      type="button"
      class="may"
      disabled={there}
      onclick={() => onask({ kind: 'keep', passage: keep.passage, corner: keep.corner })}
      ><Plus size={15} aria-hidden="true" />{there ? t.keptAlready : t.asKeep}</button
    >
  {/if}
</article>

<style>
  article {
    display: flex;
    gap: 12px;
    align-items: center;
    padding: 6px 0;
    border-top: 1px solid var(--rule);
  }
  p {
    flex: 1;
    min-width: 0;
    overflow-wrap: anywhere;
  }
  .may {
    flex: none;
  }
</style>
