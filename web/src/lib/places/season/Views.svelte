<!-- The views of the debrief: preparing, a day's course, one driver over days, the school, the calendar. -->
<script lang="ts">
  import { page } from '$app/state';
  import { chosen } from '$lib/session/chosen.svelte';
  import { present } from '$lib/session/present.svelte';
  import { texts } from '$lib/words';

  const t = texts.season;
  const all = [
    ['/debrief', t.views.prepare, true],
    ['/debrief/day', t.views.day, true],
    ['/debrief/progress', t.views.progress, false],
    ['/debrief/school', t.views.school, true],
    ['/debrief/calendar', t.views.calendar, true],
  ] as const;
  const drives = $derived(present.me?.role === 'driver');
  const shown = $derived(all.filter(([, , team]) => !team || !drives));
  const here = $derived(page.url.pathname.replace(/\/$/, ''));
</script>

<nav aria-label={t.viewsOf}>
  {#if drives}<a href="/debrief" aria-current={here === '/debrief' ? 'page' : undefined}
      >{texts.places.debrief}</a
    >{/if}
  {#each shown as [path, label] (path)}
    <a href={here === path ? path : chosen.to(path)} aria-current={here === path ? 'page' : undefined}
      >{label}</a
    >
  {/each}
</nav>

<style>
  nav {
    display: flex;
    flex-wrap: wrap;
    gap: 2px 14px;
    margin: 4px 0 10px;
    font-size: 13.5px;
  }
  a {
    color: var(--muted);
    padding: 4px 0 2px;
    border-bottom: 2px solid transparent;
  }
  a:hover {
    color: var(--ink);
    text-decoration: none;
  }
  a[aria-current] {
    color: var(--ink);
    font-weight: 620;
    border-bottom-color: var(--brass);
  }
</style>
