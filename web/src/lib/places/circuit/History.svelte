<!-- Every version of a layout: who drew it, when, what changed; an older one can be the present one again. -->
<script lang="ts">
  import type { Ground } from '$lib/api/client';
  import { moment } from '$lib/quantities/dates.svelte';
  import Sheet from '$lib/parts/Sheet.svelte';
  import { texts } from '$lib/words';

  interface Props {
    open: boolean;
    ground: Ground;
    may: boolean;
    onpresent: (version: Ground['version']) => void;
  }
  let { open = $bindable(), ground, may, onpresent }: Props = $props();
  const t = texts.circuit;
</script>

<Sheet bind:open title={t.historyTitle(ground.layout.name)}>
  <ol>
    {#each ground.versions as version (version.id)}
      <li>
        <div>
          <strong>{t.version(version.number)}</strong>
          {#if version.id === ground.version.id}<span class="present">{t.present}</span>{/if}
          <span class="muted"
            >{t.by(version.who, moment(version.at))}{version.made_from !== null &&
            version.made_from !== version.number - 1
              ? `, ${t.fromVersion(version.made_from)}`
              : ''}</span
          >
          <p>{version.summary}</p>
        </div>
        {#if may && version.id !== ground.version.id}
          <button type="button" class="may" onclick={() => onpresent(version)}>{t.makePresent}</button>
        {/if}
      </li>
    {/each}
  </ol>
</Sheet>

<style>
  li {
    display: flex;
    justify-content: space-between;
    gap: 16px;
    align-items: center;
    padding: 8px 0;
    border-bottom: 1px solid var(--rule);
  }
  .may {
    white-space: nowrap;
    font-size: 13px;
  }
  .present {
    background: var(--brass);
    color: #20242e;
    border-radius: 3px;
    padding: 0 6px;
    font-size: 12px;
    margin: 0 6px;
  }
</style>
