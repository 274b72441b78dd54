<!-- A circuit that no run was driven on before: its shape, and the one question what it is called. -->
<script lang="ts">
  import type { HandIn } from '$lib/api/client';
  import { texts } from '$lib/words';
  import { figure, unitOf } from '$lib/quantities/units';
  import { present } from '$lib/session/present.svelte';

  interface Props {
    found: NonNullable<HandIn['found']>;
    call: (name: string) => void;
  }
  let { found, call }: Props = $props();
  const t = texts.handIn.newCircuit;
  let name = $state('');
  const long = $derived(unitOf('length', present.units));
  const path = $derived(found.x.map((x, i) => `${x},${found.y[i]}`).join(' '));
</script>

<form
  class="new"
  onsubmit={(event) => {
    event.preventDefault();
    if (name.trim()) call(name.trim());
  }}
>
  <svg viewBox="-4 -4 108 108" role="img" aria-label={t.shape}><polygon points={path} /></svg>
  <label
    ><span>{t.ask(`${figure(found.length_m, long)} ${long.label}`, found.corners, found.reckoned)}</span>
    <input class="input" maxlength="180" placeholder={t.example} bind:value={name} /></label
  >
  <button type="submit" class="do" disabled={!name.trim()}>{t.keep}</button>
</form>

<style>
  .new {
    display: flex;
    flex-wrap: wrap;
    gap: 8px 14px;
    align-items: end;
    padding: 8px 0 4px;
  }
  svg {
    width: 64px;
    height: 64px;
    flex: none;
  }
  polygon {
    fill: none;
    stroke: var(--ink);
    stroke-width: 2.5;
    stroke-linejoin: round;
  }
  label {
    display: grid;
    gap: 3px;
    font-size: 13px;
    flex: 1 1 260px;
    max-width: 420px;
  }
</style>
