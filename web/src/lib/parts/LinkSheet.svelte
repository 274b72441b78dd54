<!-- A driver's personal link as a code to scan and an address to send. -->
<script lang="ts">
  import type { Snippet } from 'svelte';
  import type { LinkOut } from '$lib/api/client';
  import { note } from '$lib/parts/notes.svelte';
  import Sheet from '$lib/parts/Sheet.svelte';
  import { day } from '$lib/quantities/dates.svelte';
  import { texts } from '$lib/words';

  interface Props {
    link: LinkOut;
    open: boolean;
    /** whether a phone can reach this address */
    reachable: boolean;
    more?: Snippet;
  }
  let { link, open = $bindable(), reachable, more }: Props = $props();

  const t = texts.handIn.links;

  async function copy(): Promise<void> {
    await navigator.clipboard.writeText(link.address);
    note(t.copied);
  }
</script>

<Sheet bind:open title={t.sheet(link.driver.name)}>
  {#if !reachable}<p class="warn">{t.unreachable}</p>{/if}
  <div class="code">
    <img
      src="data:image/svg+xml;utf8,{encodeURIComponent(link.qr_svg)}"
      alt={t.qr(link.driver.name)}
      width="240"
      height="240"
    />
    <div>
      <p class="address">{link.address}</p>
      <p class="muted">{t.until(day(link.expires_at.slice(0, 10)))}</p>
    </div>
  </div>
  {#snippet footer()}
    {@render more?.()}
    <button type="button" class="do" onclick={() => void copy()}>{t.copy}</button>
  {/snippet}
</Sheet>

<style>
  .code {
    display: grid;
    grid-template-columns: 240px minmax(0, 1fr);
    gap: 20px;
    align-items: center;
  }
  img {
    background: #fff;
    border-radius: 6px;
  }
  .address {
    overflow-wrap: anywhere;
    font-size: 13px;
    user-select: all;
  }
  .warn {
    box-shadow: inset 3px 0 0 var(--brass);
    padding: 4px 0 4px 12px;
    margin-bottom: 12px;
  }
  @media (max-width: 560px) {
    .code {
      grid-template-columns: 1fr;
      justify-items: center;
    }
  }
</style>
