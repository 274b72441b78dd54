<!-- The open book: a left page with the place and the words, a right page with places to go and the content. -->
<script lang="ts">
  import { page } from '$app/state';
  import type { Snippet } from 'svelte';
  import { chosen } from '$lib/session/chosen.svelte';
  import { present } from '$lib/session/present.svelte';
  import { texts } from '$lib/words';
  import AccountMenu from '$lib/parts/AccountMenu.svelte';
  import Find from '$lib/parts/Find.svelte';
  import Mark from '$lib/parts/Mark.svelte';

  interface Props {
    left: Snippet;
    children: Snippet;
    /** what is on the desk, at the head of the right page */
    about?: string;
  }
  let { left, children, about = '' }: Props = $props();

  /** the last says whether a place is for those who lead or assist the team, not for a driver */
  const places = [
    ['/paddock', texts.places.paddock, false],
    ['/hand-in', texts.places.handIn, true],
    ['/laps', texts.places.laps, false],
    ['/circuit', texts.places.circuit, true],
    ['/compare', texts.places.compare, false],
    ['/debrief', texts.places.debrief, false],
  ] as const;
  const open = $derived(places.filter(([, , team]) => !team || present.me?.role !== 'driver'));
</script>

<div class="book">
  <aside class="left">
    <header><Mark /></header>
    {@render left()}
  </aside>
  <div class="right">
    <header>
      <nav aria-label={texts.name}>
        {#each open as [path, label] (path)}
          <!-- The place where one is leads to its newest day again. -->
          <a
            href={page.url.pathname === path ? path : chosen.to(path)}
            aria-current={page.url.pathname.startsWith(path) ? 'page' : undefined}>{label}</a
          >
        {/each}
      </nav>
      <span class="about muted" title={about}>{about}</span>
      <Find />
      <AccountMenu />
    </header>
    <main>{@render children()}</main>
  </div>
</div>

<style>
  .book {
    display: grid;
    grid-template-columns: 352px minmax(0, 1fr);
    grid-template-rows: minmax(0, 1fr);
    height: 100dvh;
  }
  .left {
    background: var(--sheet);
    padding: 12px 18px 18px;
    overflow-y: auto;
    box-shadow:
      inset -14px 0 14px -14px rgb(60 50 30 / 0.28),
      1px 0 0 var(--rule);
    z-index: 2;
  }
  .left > header {
    height: 32px;
    display: flex;
    align-items: center;
  }
  .right {
    display: grid;
    grid-template-rows: auto minmax(0, 1fr);
    grid-template-columns: minmax(0, 1fr);
    min-width: 0;
  }
  .right > header {
    display: flex;
    align-items: center;
    gap: 18px;
    margin: 0 18px 0 14px;
    padding-top: 8px;
    border-bottom: 1px solid var(--rule);
    height: 46px;
  }
  nav {
    display: flex;
    gap: 20px;
    height: 100%;
  }
  nav a {
    color: var(--muted);
    font-weight: 520;
    display: flex;
    align-items: center;
    border-bottom: 3px solid transparent;
    border-top: 3px solid transparent;
    padding: 0 1px;
    white-space: nowrap;
  }
  nav a:hover {
    color: var(--ink);
    text-decoration: none;
  }
  nav a[aria-current] {
    color: var(--ink);
    font-weight: 640;
    border-bottom-color: var(--brass);
  }
  .about {
    margin-left: auto;
    min-width: 0;
    font-size: 13px;
    overflow: hidden;
    text-overflow: ellipsis;
    white-space: nowrap;
  }
  main {
    /* A head that sticks counts from inside the padding: it has to reach over it. */
    --page-top: 10px;
    overflow-y: auto;
    padding: var(--page-top) 18px 0 14px;
    min-width: 0;
  }
  @media (max-width: 860px) {
    .book {
      display: flex;
      flex-direction: column;
      height: auto;
    }
    .right {
      display: contents;
    }
    .right > header {
      order: 0;
    }
    .left {
      order: 1;
      box-shadow: 0 1px 0 var(--rule);
    }
    main {
      order: 2;
      overflow: visible;
      --page-top: 0px;
      padding-top: 10px;
    }
    .about {
      display: none;
    }
    .right > header {
      gap: 8px;
    }
    nav {
      flex: 1;
      min-width: 0;
      gap: 14px;
      overflow-x: auto;
    }
  }
  @media (max-width: 480px) {
    nav {
      gap: 10px;
      font-size: 13.5px;
    }
  }
</style>
