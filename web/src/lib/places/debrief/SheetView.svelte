<!-- The sheet as its driver reads it, on any screen. -->
<script lang="ts">
  import type { Snippet } from 'svelte';
  import type { DebriefSheet, SheetPiece } from '$lib/api/client';
  import Drawn from '$lib/parts/Drawn.svelte';
  import { texts } from '$lib/words';

  interface Props {
    sheet: DebriefSheet;
    /** for pointing at from a step away */
    large?: boolean;
    /** what the driver can say of a piece */
    about?: Snippet<[SheetPiece]>;
  }
  let { sheet, large = false, about }: Props = $props();

  const t = texts.debrief;
</script>

<div class="page" class:large>
  <h1>{sheet.title}</h1>
  <p class="muted">{sheet.about}</p>
  <p class="lead">{sheet.lead}</p>
  {#if sheet.changes.length}
    <h2>{t.changes}</h2>
    <ul class="changes">
      {#each sheet.changes as line, i (i)}<li>{line}</li>{/each}
    </ul>
  {/if}
  {#each sheet.pieces as piece (piece.id)}
    <section aria-label="{piece.kind === 'keep' ? t.keep : t.try(piece.number)}: {piece.place}">
      <div>
        <p class="kind muted">{piece.kind === 'keep' ? t.keep : t.try(piece.number)}</p>
        <p class="says">{piece.says}</p>
        {#if piece.target}
          <p>
            {t.target}: {piece.target}{#if piece.worth}; {t.worthLap(piece.worth)}{/if}
          </p>
        {/if}
        {@render about?.(piece)}
      </div>
      {#if piece.map}<Drawn svg={piece.map} label={t.map(piece.place)} />{/if}
      {#if piece.curves}<Drawn svg={piece.curves} label={t.curves(piece.place)} />{/if}
    </section>
  {/each}
  {#if sheet.legend.length}
    <p class="legend muted" aria-label={t.legend}>
      {#each sheet.legend as [role, name] (role)}<span><i class={role}></i>{name}</span>{/each}
    </p>
  {/if}
  {#if sheet.note}<p class="muted">{sheet.note}</p>{/if}
</div>

<style>
  .page {
    width: 100%;
    overflow-wrap: anywhere;
  }
  h1 {
    font-size: 1.5em;
    font-weight: 660;
  }
  h2 {
    font-weight: 640;
    margin-top: 0.6em;
  }
  .changes {
    list-style: disc;
    padding-left: 1.2em;
  }
  .lead {
    margin: 0.3em 0 0.6em;
  }
  section {
    display: grid;
    grid-template-columns: repeat(auto-fit, minmax(min(100%, 260px), 1fr));
    gap: 0.8em;
    padding: 0.8em 0;
    border-top: 1px solid var(--rule);
    align-items: start;
  }
  .kind {
    font-size: 0.9em;
  }
  .says {
    font-size: 1.15em;
    font-weight: 600;
    line-height: 1.35;
  }
  .large {
    font-size: 1.25em;
  }
  .large .says {
    font-size: 1.3em;
  }
  .legend span {
    display: inline-block;
    margin-right: 1.2em;
  }
  .legend i {
    display: inline-block;
    width: 1.9em;
    margin-right: 0.4em;
    vertical-align: middle;
    border-top: 1.5px solid var(--ink);
  }
  .legend i.best {
    border-top: 3px solid var(--accent);
  }
  .legend i.reference {
    border-top: 7px solid var(--band);
  }
</style>
