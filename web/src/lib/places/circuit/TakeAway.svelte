<!-- What one takes away: the map on a page, and the layout as a file. -->
<script lang="ts">
  import { inFull } from '$lib/desk/called';
  import { FileDown } from '@lucide/svelte';
  import type { DeskLap, Ground } from '$lib/api/client';
  import { present } from '$lib/session/present.svelte';
  import { lapTime } from '$lib/quantities/units';
  import Sheet from '$lib/parts/Sheet.svelte';
  import { texts } from '$lib/words';

  interface Props {
    open: boolean;
    ground: Ground;
    laps: DeskLap[];
  }
  let { open = $bindable(), ground, laps }: Props = $props();
  const t = texts.circuit;
  const FORMS = ['pdf', 'png', 'svg'] as const;
  let lap = $state('');
  const event = $derived(ground.day === null ? '' : `&event=${ground.day}`);
  const base = $derived(`/api/layouts/${ground.layout.id}`);
  const chosen = $derived(lap ? `&lap=${encodeURIComponent(lap)}` : '');
</script>

<Sheet bind:open title={t.takeAway}>
  <section>
    <h3>{t.sheetTitle}</h3>
    <p class="muted">{t.sheetHelp}</p>
    <label>
      <span class="muted">{t.sheetLap}</span>
      <select class="select" bind:value={lap}>
        <option value="">{t.noLap}</option>
        {#each laps as own (own.key)}
          <option value={own.key}>{inFull(own)}, {lapTime(own.time_s)}</option>
        {/each}
      </select>
    </label>
    <div class="forms">
      {#each FORMS as form (form)}
        <a class="may" download href="{base}/sheet?format={form}&units={present.units}{event}{chosen}"
          ><FileDown size={15} />{form.toUpperCase()}</a
        >
      {/each}
    </div>
  </section>
  <section>
    <h3>{t.file}</h3>
    <p class="muted">{t.geojsonHelp}</p>
    <a class="may" download href="{base}/geojson{ground.day === null ? '' : `?event=${ground.day}`}"
      ><FileDown size={15} />GeoJSON</a
    >
  </section>
</Sheet>

<style>
  section {
    padding: 6px 0 16px;
    display: grid;
    gap: 8px;
    justify-items: start;
  }
  h3 {
    font-weight: 640;
  }
  label {
    display: grid;
    font-size: 12px;
  }
  .forms {
    display: flex;
    gap: 8px;
  }
</style>
