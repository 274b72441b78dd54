<!-- The circuit's name, how its map is turned, and whether it is right as it is. -->
<script lang="ts">
  import { Switch } from '@skeletonlabs/skeleton-svelte';
  import type { Ground } from '$lib/api/client';
  import { texts } from '$lib/words';

  interface Props {
    ground: Ground;
    heading: number;
    /** while the slider moves */
    onturn: (degrees: number) => void;
    onheading: (degrees: number | null) => void;
    onconfirm: (confirmed: boolean) => void;
    onname: (name: string) => void;
    /** make the line anew from the runs */
    online: (limits: boolean) => void;
  }
  let { ground, heading, onturn, onheading, onconfirm, onname, online }: Props = $props();
  const t = texts.circuit;
  let limits = $state(false);

  function rename(event: Event): void {
    const input = event.currentTarget as HTMLInputElement;
    const to = input.value.trim();
    if (to && to !== ground.layout.name) onname(to);
    else input.value = ground.layout.name;
  }
</script>

<label class="field">
  <span class="muted">{t.rename}</span>
  <input class="input" maxlength="200" value={ground.layout.name} onchange={rename} />
</label>
<label class="field">
  <span class="muted">{t.turn}</span>
  <span class="turn">
    <input
      type="range"
      min="0"
      max="359"
      value={heading}
      oninput={(e) => onturn(Number(e.currentTarget.value))}
      onchange={(e) => onheading(Number(e.currentTarget.value))}
    />
    <span class="figure">{t.turned(heading)}</span>
  </span>
</label>
{#if ground.reckoned}
  <p class="muted help">{t.reckoned}</p>
{:else}
  <button type="button" class="may" disabled={!heading} onclick={() => onheading(null)}>{t.north}</button>
{/if}
<Switch class="confirm" checked={ground.confirmed} onCheckedChange={(details) => onconfirm(details.checked)}>
  <Switch.Control class="toggle"><Switch.Thumb class="knob" /></Switch.Control>
  <Switch.Label>{t.confirm}</Switch.Label>
  <Switch.HiddenInput />
</Switch>
<p class="muted help">{t.confirmHelp}</p>

{#if !ground.reckoned}
  <div class="line">
    <button type="button" class="may" disabled={!ground.runs} onclick={() => online(limits)}>{t.line}</button>
    <label><input type="checkbox" bind:checked={limits} />{t.lineLimits}</label>
    <p class="muted help">{t.lineHelp}</p>
  </div>
{/if}

<style>
  .line {
    border-top: 1px solid var(--rule);
    margin-top: 12px;
    padding-top: 4px;
  }
  .line label {
    display: flex;
    gap: 6px;
    align-items: center;
    font-size: 12px;
  }
  .line input {
    accent-color: var(--accent);
  }
  .field {
    display: grid;
    gap: 1px;
    font-size: 11px;
    margin-top: 10px;
  }
  .field .input {
    min-height: 30px;
    padding: 2px 8px;
    font-size: 13px;
    width: 100%;
  }
  .turn {
    display: grid;
    grid-template-columns: 1fr 64px;
    gap: 8px;
    align-items: center;
  }
  .turn input {
    accent-color: var(--accent);
  }
  .may {
    min-height: 28px;
    padding: 0 8px;
    font-size: 12px;
    margin: 6px 0 10px;
  }
  :global(.confirm) {
    display: flex;
    gap: 8px;
    align-items: center;
    font-size: 13px;
  }
  .help {
    font-size: 12px;
  }
</style>
