<!-- Saves a run or an event in an open format: the server writes it in the background, then the browser fetches it. -->
<script lang="ts">
  import { Menu, Portal } from '@skeletonlabs/skeleton-svelte';
  import { Download } from '@lucide/svelte';
  import { api, done, type Job } from '$lib/api/client';
  import { follow, note } from '$lib/parts/notes.svelte';
  import { texts } from '$lib/words';

  interface Props {
    label: string;
    event?: number;
    run?: number;
    formats?: string[];
  }
  let { label, event, run, formats = Object.keys(texts.handIn.formats) }: Props = $props();
  let going = $state(false);

  type Format = 'csv' | 'parquet' | 'mdf4' | 'gpx' | 'geojson';

  function begin(format: Format): Promise<Job> {
    const body = { format };
    if (event !== undefined)
      return done(api.POST('/api/events/{event_id}/export', { params: { path: { event_id: event } }, body }));
    return done(api.POST('/api/runs/{run_id}/export', { params: { path: { run_id: run ?? 0 } }, body }));
  }

  async function save(format: string): Promise<void> {
    going = true;
    try {
      const job = await follow(await begin(format as Format), texts.handIn.formats[format] ?? format);
      if (job?.state === 'done') location.assign(`/api/jobs/${job.id}/file`);
    } catch (error) {
      note(error instanceof Error ? error.message : String(error));
    } finally {
      going = false;
    }
  }
</script>

<Menu onSelect={(details) => void save(details.value)}>
  <Menu.Trigger class="may" disabled={going}><Download size={15} aria-hidden="true" />{label}</Menu.Trigger>
  <Portal>
    <Menu.Positioner class="z-50!">
      <Menu.Content class="formats">
        {#each formats as format (format)}
          <Menu.Item value={format} class="format"
            ><Menu.ItemText>{texts.handIn.formats[format]}</Menu.ItemText></Menu.Item
          >
        {/each}
      </Menu.Content>
    </Menu.Positioner>
  </Portal>
</Menu>
