<!-- One field that finds everything a team has; opened by a key, or by its button. -->
<script lang="ts">
  import { createQuery, keepPreviousData } from '@tanstack/svelte-query';
  import { Search } from '@lucide/svelte';
  import { afterNavigate } from '$app/navigation';
  import { api, done, type Hit } from '$lib/api/client';
  import { keys } from '$lib/api/keys';
  import Sheet from '$lib/parts/Sheet.svelte';
  import Trouble from '$lib/parts/Trouble.svelte';
  import { day } from '$lib/quantities/dates.svelte';
  import { say } from '$lib/quantities/said';
  import { present } from '$lib/session/present.svelte';
  import { texts } from '$lib/words';

  const t = texts.season.find;
  const REST_MS = 160;
  let open = $state(false);
  let typed = $state('');
  let words = $state('');
  let field = $state<HTMLInputElement>();
  let list = $state<HTMLElement>();

  const found = createQuery(() => ({
    queryKey: keys.found(words),
    queryFn: ({ signal }) => done(api.GET('/api/find', { params: { query: { q: words } }, signal })),
    enabled: open && words !== '',
    placeholderData: keepPreviousData,
  }));
  const hits = $derived(words ? (found.data?.hits ?? []) : []);
  const groups = $derived(
    Object.keys(t.kinds)
      .map((kind) => ({
        kind,
        hits: hits.filter((hit) => hit.kind === kind),
        more: found.data?.more[kind] ?? 0,
      }))
      .filter((group) => group.hits.length),
  );
  const title = (hit: Hit): string => hit.title || say(hit.says, present.units);

  // What is typed is asked for when the hand rests.
  $effect(() => {
    const next = typed.trim();
    const timer = setTimeout(() => (words = next), next ? REST_MS : 0);
    return () => clearTimeout(timer);
  });
  afterNavigate(() => (open = false));

  function onkey(press: KeyboardEvent): void {
    if (press.key !== 'f' || press.ctrlKey || press.metaKey || press.altKey || press.defaultPrevented) return;
    if (present.me?.shortcuts === false) return;
    const target = press.target as HTMLElement | null;
    if (target?.closest('input, select, textarea, [contenteditable], [role=dialog], [role=menu]')) return;
    press.preventDefault();
    open = true;
  }

  /** Up and down walk through what was found; up from the first goes back to the field. */
  function walk(press: KeyboardEvent): void {
    if (press.key !== 'ArrowDown' && press.key !== 'ArrowUp') return;
    const links = [...(list?.querySelectorAll<HTMLElement>('a') ?? [])];
    const at = links.indexOf(document.activeElement as HTMLElement);
    const next = press.key === 'ArrowDown' ? at + 1 : at - 1;
    press.preventDefault();
    if (next < 0) field?.focus();
    else links[Math.min(next, links.length - 1)]?.focus();
  }

  function first(press: KeyboardEvent): void {
    if (press.key === 'Enter') list?.querySelector<HTMLElement>('a')?.click();
  }
</script>

<svelte:window onkeydown={onkey} />

<button type="button" class="find" aria-label={t.open} title={t.hint} onclick={() => (open = true)}
  ><Search size={19} /></button
>
<Sheet bind:open title={t.title} first={() => field ?? null}>
  <!-- svelte-ignore a11y_no_static_element_interactions -->
  <div class="all" onkeydown={walk}>
    <input
      bind:this={field}
      bind:value={typed}
      class="input"
      type="search"
      maxlength="100"
      autocomplete="off"
      aria-label={t.label}
      placeholder={t.placeholder}
      onkeydown={first}
    />
    <div class="found" bind:this={list}>
      {#if found.error && words}
        <Trouble error={found.error} again={() => void found.refetch()} />
      {:else if !words}
        <p class="muted">{t.begin}</p>
      {:else if found.data && !hits.length && !found.isPlaceholderData}
        <p class="muted">{t.nothing(words)}</p>
      {/if}
      {#each groups as group (group.kind)}
        <h3>{t.kinds[group.kind]}</h3>
        <ul>
          {#each group.hits as hit, i (i)}
            <li>
              <a href={hit.address}
                ><span class="called">{title(hit)}</span>
                <span class="muted"
                  >{[hit.about, hit.day ? day(hit.day) : ''].filter(Boolean).join(', ')}</span
                ></a
              >
            </li>
          {/each}
        </ul>
        {#if group.more}<p class="muted more">{t.more(group.more)}</p>{/if}
      {/each}
      <p class="sr-only" role="status">{words && found.data ? t.found(hits.length) : ''}</p>
    </div>
  </div>
</Sheet>

<style>
  .find {
    display: grid;
    place-items: center;
    width: 32px;
    height: 32px;
    border-radius: 5px;
    cursor: pointer;
    color: var(--ink);
    flex: none;
  }
  .find:hover {
    background: var(--strip);
  }
  .all {
    padding-top: 3px;
  }
  .input {
    width: 100%;
    padding-inline: 10px;
    font-size: 16px;
    min-height: 40px;
  }
  .found {
    min-height: 240px;
    padding-top: 10px;
  }
  h3 {
    font-size: 12.5px;
    font-weight: 600;
    color: var(--muted);
    margin-top: 10px;
  }
  li a {
    display: grid;
    gap: 1px;
    padding: 5px 6px;
    border-radius: 4px;
    color: var(--ink);
    font-size: 14px;
  }
  li a:hover,
  li a:focus-visible {
    background: var(--strip);
    text-decoration: none;
  }
  .called {
    overflow: hidden;
    display: -webkit-box;
    -webkit-line-clamp: 2;
    line-clamp: 2;
    -webkit-box-orient: vertical;
    overflow-wrap: anywhere;
  }
  li .muted,
  .more {
    font-size: 12.5px;
  }
</style>
