<!-- A place that can be typed, like "1042.3 m". What is no place says so and changes nothing. -->
<script lang="ts">
  import { typed } from '$lib/circuit/draft';
  import { figure, unitOf } from '$lib/quantities/units';
  import { present } from '$lib/session/present.svelte';
  import { texts } from '$lib/words';

  interface Props {
    label: string;
    value: number;
    onplace: (metres: number) => void;
    onhold?: () => void;
    /** shown with its sign, as a distance by which something is moved */
    signed?: boolean;
  }
  let { label, value, onplace, onhold, signed = false }: Props = $props();

  const unit = $derived(unitOf('distance', present.units));
  const shown = $derived(`${signed && value > 0 ? '+' : ''}${figure(value, unit, 1)} ${unit.label}`);
  let wrong = $state(false);

  function change(event: Event): void {
    const input = event.currentTarget as HTMLInputElement;
    const metres = typed(input.value, unit.factor);
    wrong = metres === null;
    if (metres !== null) onplace(metres);
    if (metres === null || Math.abs(metres - value) < 0.005) input.value = wrong ? input.value : shown;
  }
</script>

<label class="place">
  <span class="muted">{label}</span>
  <input
    class="input figure"
    class:wrong
    value={shown}
    aria-invalid={wrong}
    title={wrong ? texts.circuit.typed : undefined}
    onfocus={onhold}
    onchange={change}
  />
  {#if wrong}<span class="loss" role="alert">{texts.circuit.typed}</span>{/if}
</label>

<style>
  .place {
    display: grid;
    gap: 1px;
    font-size: 11px;
    min-width: 0;
  }
  .place input.input {
    width: 100%;
    min-height: 28px;
    padding: 2px 6px;
    font-size: 12px;
  }
  .wrong {
    border-color: var(--loss) !important;
  }
</style>
