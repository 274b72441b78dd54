<!-- Who has handed in, and who has not. -->
<script lang="ts">
  import type { Paddock } from '$lib/api/client';
  import { texts } from '$lib/words';

  let { list }: { list: Paddock['deliveries'] } = $props();
  const t = texts.paddock;
  const there = $derived(list.filter((item) => item.state === 'in').length);
</script>

<section class="deliveries" aria-label={t.deliveries}>
  <p class="muted">{t.delivered(there, list.length)}</p>
  <ul>
    {#each list as item (item.driver.id)}
      <li class={item.state}>
        <strong title={item.driver.name}>{item.driver.name}</strong>
        <span>{t.deliveryStates[item.state]}</span>
        {#if item.runs}<span class="muted">{t.runsAndLaps(item.runs, item.laps)}</span>
        {:else if item.link}<span class="muted">{t.hasLink}</span>
        {:else}<a href="/hand-in?link={encodeURIComponent(item.driver.name)}">{t.sendLink}</a>{/if}
        {#if item.debrief && item.latest}
          <a class={item.debrief} href="/debrief?run={item.latest}">{t.debriefs[item.debrief]}</a>
        {/if}
      </li>
    {/each}
  </ul>
</section>

<style>
  .deliveries {
    padding-bottom: 12px;
  }
  .deliveries ul {
    display: grid;
    grid-template-columns: repeat(auto-fill, minmax(136px, 1fr));
    gap: 8px;
    margin-top: 6px;
  }
  .deliveries li {
    display: grid;
    padding: 6px 10px;
    background: var(--sheet);
    border-left: 3px solid var(--gain);
    border-radius: 3px;
    font-size: 13px;
  }
  .deliveries li strong {
    overflow: hidden;
    text-overflow: ellipsis;
    white-space: nowrap;
  }
  .deliveries li.missing {
    border-left: 3px dashed var(--field);
    background: none;
  }
  .deliveries li.busy {
    border-left-color: var(--brass);
  }
  .deliveries li.trouble {
    border-left-color: var(--loss);
  }
  .waits {
    font-weight: 600;
  }
</style>
