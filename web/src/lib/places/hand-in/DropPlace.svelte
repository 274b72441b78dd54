<!-- Takes files and folders, dropped or chosen. -->
<script lang="ts">
  import { FileUp } from '@lucide/svelte';
  import About from '$lib/parts/About.svelte';
  import { filesOf } from '$lib/sending/sending.svelte';
  import { texts } from '$lib/words';

  interface Props {
    /** `whole`: the files come from a folder, among others that are no logs */
    take: (files: File[], whole: boolean) => void;
  }
  let { take }: Props = $props();
  const t = texts.handIn;
  let over = $state(false);
  let files: HTMLInputElement;
  let folder: HTMLInputElement;

  async function dropped(event: DragEvent): Promise<void> {
    event.preventDefault();
    over = false;
    if (!event.dataTransfer) return;
    const whole = [...event.dataTransfer.items].some((item) => item.webkitGetAsEntry()?.isDirectory);
    take(await filesOf(event.dataTransfer), whole);
  }

  function chosen(input: HTMLInputElement, whole: boolean): void {
    const found = [...(input.files ?? [])];
    // Nothing is kept in the field: the same file can be chosen again.
    input.value = '';
    if (found.length) take(found, whole);
  }
</script>

<div
  class="drop"
  class:over
  role="group"
  aria-label={t.drop}
  ondragover={(e) => {
    e.preventDefault();
    over = true;
  }}
  ondragleave={() => (over = false)}
  ondrop={dropped}
>
  <FileUp size={24} aria-hidden="true" />
  <strong>{t.drop}</strong>
  <span class="muted hint">{t.dropMore}</span>
  <div class="row">
    <button type="button" class="do" onclick={() => files.click()}>{t.choose}</button>
    <button type="button" class="may" onclick={() => folder.click()}>{t.chooseFolder}</button>
  </div>
  <About t={t.export} />
  <input
    bind:this={files}
    type="file"
    multiple
    hidden
    data-choose="files"
    onchange={() => chosen(files, false)}
  />
  <input
    bind:this={folder}
    type="file"
    webkitdirectory
    hidden
    data-choose="folder"
    onchange={() => chosen(folder, true)}
  />
</div>

<style>
  .drop {
    display: grid;
    justify-items: center;
    text-align: center;
    gap: 7px;
    padding: 20px 14px;
    border: 1.5px dashed var(--muted);
    border-radius: 6px;
    background: var(--paper);
  }
  .over {
    border-color: var(--accent);
    background: var(--stretch);
  }
  .hint {
    font-size: 12.5px;
  }
  .row {
    display: flex;
    flex-wrap: wrap;
    gap: 8px;
    justify-content: center;
    margin-top: 4px;
  }
</style>
