<!-- Pictures of more than the curves: where a driver is steady, grip, how often which value, one channel over another. -->
<script lang="ts">
  import { X } from '@lucide/svelte';
  import type { Desk } from '$lib/desk/desk.svelte';
  import { PICTURES } from '$lib/desk/place';
  import AgainstPicture from '$lib/places/compare/AgainstPicture.svelte';
  import GripPicture from '$lib/places/compare/GripPicture.svelte';
  import OftenPicture from '$lib/places/compare/OftenPicture.svelte';
  import SteadyPicture from '$lib/places/compare/SteadyPicture.svelte';
  import { texts } from '$lib/words';

  let { desk }: { desk: Desk } = $props();

  const t = texts.compare.pictures;
  const SHOWN = { steady: SteadyPicture, grip: GripPicture, often: OftenPicture, against: AgainstPicture };
  const Shown = $derived(desk.picture && SHOWN[desk.picture]);
</script>

<section class="pictures" aria-label={t.open}>
  <div class="tool-bar" data-apart>
    {#each PICTURES as kind (kind)}
      <button
        type="button"
        class="may"
        aria-pressed={desk.picture === kind}
        onclick={() => {
          desk.picture = kind;
          desk.of = desk.over = null;
        }}>{t.kinds[kind]}</button
      >
    {/each}
    <span class="grow"></span>
    <button
      type="button"
      class="tool"
      aria-label={t.close}
      title={t.close}
      onclick={() => (desk.picture = null)}><X size={15} /></button
    >
  </div>
  {#if Shown}<Shown {desk} />{/if}
</section>

<style>
  .pictures {
    margin-bottom: 10px;
  }
</style>
