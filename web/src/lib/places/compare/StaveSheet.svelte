<!-- Which staves there are: chosen, in order, two in one, in sets that have a name. -->
<script lang="ts">
  import { ArrowDown, ArrowUp, Merge, Split, X } from '@lucide/svelte';
  import type { Desk } from '$lib/desk/desk.svelte';
  import { JOIN, rolesOf } from '$lib/desk/place';
  import { atHand, SETS, type StaveMemory } from '$lib/places/compare/staves.svelte';
  import { registry } from '$lib/quantities/registry.svelte';
  import Sheet from '$lib/parts/Sheet.svelte';
  import { texts } from '$lib/words';

  interface Props {
    desk: Desk;
    staves: StaveMemory;
    open: boolean;
  }
  let { desk, staves, open = $bindable() }: Props = $props();

  const t = texts.compare.staves;
  const SHARED = 3;
  let typed = $state('');
  let name = $state('');

  const label = (stave: string): string =>
    rolesOf(stave)
      .map((role) => registry.label(role))
      .join(' + ');
  const further = $derived(
    [...registry.codes, ...(desk.lineUp?.nameless.map((channel) => channel.code) ?? [])].filter(
      (role) =>
        !desk.roles.includes(role) &&
        (['delta', 'loss_rate'].includes(role) || desk.laps.some((lap) => lap.roles.includes(role))) &&
        registry.label(role).toLocaleLowerCase().includes(typed.trim().toLocaleLowerCase()),
    ),
  );

  function move(index: number, by: 1 | -1): void {
    const found = [...desk.staves];
    const [own] = found.splice(index, 1);
    if (own) found.splice(index + by, 0, own);
    staves.choose(found);
  }

  function share(index: number): void {
    const above = desk.staves[index - 1];
    const own = desk.staves[index];
    if (!above || !own) return;
    staves.choose(
      desk.staves.flatMap((s, i) => (i === index ? [] : i === index - 1 ? [above + JOIN + own] : [s])),
    );
  }

  const part = (index: number): void =>
    staves.choose(desk.staves.flatMap((stave, i) => (i === index ? rolesOf(stave) : [stave])));

  const remove = (index: number): void => staves.choose(desk.staves.filter((_, i) => i !== index));

  function keep(event: Event): void {
    event.preventDefault();
    if (!name.trim()) return;
    staves.keepSet(name.trim());
    name = '';
  }
</script>

<Sheet bind:open title={t.title}>
  <section aria-label={t.sets}>
    <h3>{t.sets}</h3>
    <div class="sets">
      {#each Object.entries(SETS) as [code, set] (code)}
        <button type="button" class="may" onclick={() => staves.choose(atHand(set, desk))}
          >{t.names[code]}</button
        >
      {/each}
      {#each staves.sets as set (set.name)}
        <span class="own">
          <button type="button" class="may" onclick={() => staves.choose(atHand(set.staves, desk))}
            >{set.name}</button
          >
          <button
            type="button"
            class="tool"
            aria-label={t.forget(set.name)}
            title={t.forget(set.name)}
            onclick={() => staves.forgetSet(set.name)}><X size={13} /></button
          >
        </span>
      {/each}
    </div>
    <form class="keep" onsubmit={keep}>
      <input class="input" aria-label={t.name} placeholder={t.name} maxlength="120" bind:value={name} />
      <button type="submit" class="may" disabled={!name.trim()}>{t.keep}</button>
    </form>
  </section>
  <section aria-label={t.here}>
    <h3>{t.here}</h3>
    <p class="muted hint">{t.hint}</p>
    <ol>
      {#each desk.staves as stave, index (stave)}
        <li>
          <span class="called">{label(stave)}</span>
          <button
            type="button"
            class="tool"
            disabled={index === 0}
            aria-label={texts.compare.staveUp(label(stave))}
            title={texts.compare.staveUp(label(stave))}
            onclick={() => move(index, -1)}><ArrowUp size={14} /></button
          >
          <button
            type="button"
            class="tool"
            disabled={index === desk.staves.length - 1}
            aria-label={t.below(label(stave))}
            title={t.below(label(stave))}
            onclick={() => move(index, 1)}><ArrowDown size={14} /></button
          >
          {#if rolesOf(stave).length > 1}
            <button
              type="button"
              class="tool"
              aria-label={t.part(label(stave))}
              title={t.part(label(stave))}
              onclick={() => part(index)}><Split size={14} /></button
            >
          {:else}
            <button
              type="button"
              class="tool"
              disabled={index === 0 || rolesOf(desk.staves[index - 1] ?? '').length >= SHARED}
              aria-label={t.share(label(stave))}
              title={t.share(label(stave))}
              onclick={() => share(index)}><Merge size={14} /></button
            >
          {/if}
          <button
            type="button"
            class="tool"
            aria-label={texts.compare.removeStave(label(stave))}
            title={texts.compare.removeStave(label(stave))}
            onclick={() => remove(index)}><X size={14} /></button
          >
        </li>
      {/each}
    </ol>
  </section>
  <section aria-label={t.more}>
    <h3>{t.more}</h3>
    <input class="input" type="search" aria-label={t.find} placeholder={t.find} bind:value={typed} />
    <ul class="further">
      {#each further as role (role)}
        <li>
          <button type="button" class="may" onclick={() => staves.choose([...desk.staves, role])}
            >{registry.label(role)}</button
          >
        </li>
      {/each}
    </ul>
    {#if !further.length}<p class="muted hint">{t.none(typed)}</p>{/if}
  </section>
  {#snippet footer()}
    <span class="grow"></span>
    <button type="button" class="do" onclick={() => (open = false)}>{texts.compare.done}</button>
  {/snippet}
</Sheet>

<style>
  section {
    margin-bottom: 16px;
  }
  h3 {
    font-size: 14px;
    font-weight: 640;
    margin-bottom: 4px;
  }
  .sets,
  .further {
    display: flex;
    flex-wrap: wrap;
    gap: 6px;
  }
  .may {
    min-height: 28px;
    padding: 0.1rem 0.6rem;
    font-size: 13px;
    max-width: 100%;
    overflow-wrap: anywhere;
  }
  .own {
    display: flex;
    align-items: center;
  }
  .keep {
    display: flex;
    gap: 8px;
    margin-top: 8px;
  }
  .input {
    width: 240px;
    height: 30px;
    padding: 0 8px;
    font-size: 13px;
  }
  ol li {
    display: flex;
    align-items: center;
    gap: 2px;
    min-height: 30px;
    border-bottom: 1px solid var(--rule);
  }
  .called {
    flex: 1;
    min-width: 0;
    overflow-wrap: anywhere;
  }
  .further {
    margin-top: 8px;
  }
  .hint {
    font-size: 12.5px;
  }
  .grow {
    flex: 1;
  }
</style>
