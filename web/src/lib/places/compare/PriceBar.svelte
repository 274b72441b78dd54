<!-- What a loss is made of: one bar that adds up to it, and its parts by name. -->
<script lang="ts">
  import type { CardFigures } from '$lib/api/client';
  import { present } from '$lib/session/present.svelte';
  import { texts } from '$lib/words';
  import { figure, signed, unitOf } from '$lib/quantities/units';

  interface Props {
    row: CardFigures;
    /** the cause without which the lap is shown in the score, too */
    shown: string | null;
    /** what is won without it, s */
    won: number | null;
    onpick: (cause: string) => void;
  }
  let { row, shown, won, onpick }: Props = $props();

  const t = texts.compare;
  const time = $derived(unitOf('time', present.units));
  const WORTH_S = 0.005;
  const SHADES = [
    'var(--loss)',
    'color-mix(in srgb, var(--loss) 68%, var(--paper))',
    'color-mix(in srgb, var(--loss) 42%, var(--paper))',
  ];

  interface Part {
    name: string;
    /** code of the cause; null for what is none */
    cause: string | null;
    cost: number;
    doubt: number | null;
    fill: string;
  }

  const parts = $derived.by((): Part[] => {
    const causes = row.causes.map((cause, i) => ({
      name:
        (cause.cost_s < 0 ? t.betterNames[cause.cause] : undefined) ??
        t.causeNames[cause.cause] ??
        cause.cause,
      cause: cause.cause,
      cost: cause.cost_s,
      doubt: cause.cost_u_s,
      fill: SHADES[Math.min(i, SHADES.length - 1)] ?? 'var(--loss)',
    }));
    const rest = [
      { name: t.broughtIn, cause: null, cost: row.brought_in_s, doubt: null, fill: 'var(--muted)' },
      { name: t.unexplained, cause: null, cost: row.unexplained_s, doubt: null, fill: 'var(--rule)' },
    ];
    return [...causes, ...rest.filter((part) => Math.abs(part.cost) >= WORTH_S)];
  });
  const lost = $derived(parts.filter((part) => part.cost > 0));
  const total = $derived(lost.reduce((sum, part) => sum + part.cost, 0));
</script>

<figure class="price" aria-label={t.madeOf(figure(row.loss_s, time))}>
  <div class="bar" aria-hidden="true">
    {#each lost as part, i (i)}
      <!-- The same parts stand below as buttons, for those who do not point. -->
      <!-- svelte-ignore a11y_click_events_have_key_events, a11y_no_static_element_interactions -->
      <span
        class:picked={part.cause !== null && part.cause === shown}
        class:pickable={part.cause !== null}
        style:width="{(100 * part.cost) / total}%"
        style:background={part.fill}
        onclick={() => part.cause && onpick(part.cause)}
      ></span>
    {/each}
  </div>
  <ul>
    {#each parts as part, i (i)}
      <li class:won={part.cost < 0}>
        <i style:background={part.cost < 0 ? 'transparent' : part.fill} aria-hidden="true"></i>
        <b class="figure">{signed(part.cost, time)}</b>
        {#if part.cause !== null && part.cost > 0}
          <button
            type="button"
            aria-pressed={part.cause === shown}
            title={t.showWithout(part.name)}
            onclick={() => part.cause && onpick(part.cause)}>{part.name}</button
          >
        {:else}{part.name}{/if}
        {#if part.doubt !== null}<span class="muted">± {figure(2 * part.doubt, time)}</span>{/if}
      </li>
    {/each}
  </ul>
  {#if shown !== null && won !== null}<p class="muted won-by">{t.without(figure(won, time))}</p>{/if}
</figure>

<style>
  .price {
    margin: 12px 0 0;
  }
  .bar {
    display: flex;
    gap: 1px;
    height: 10px;
  }
  .bar span {
    min-width: 2px;
  }
  .bar .pickable {
    cursor: pointer;
  }
  .bar .picked {
    outline: 2px solid var(--ink);
  }
  li button {
    cursor: pointer;
    text-decoration: underline dotted;
    text-underline-offset: 3px;
  }
  li button[aria-pressed='true'] {
    font-weight: 640;
    text-decoration-style: solid;
  }
  ul {
    list-style: none;
    margin: 6px 0 0;
    padding: 0;
    font-size: 13px;
    line-height: 1.5;
  }
  li i {
    display: inline-block;
    width: 9px;
    height: 9px;
    margin-right: 5px;
  }
  li b {
    font-weight: 600;
    display: inline-block;
    min-width: 46px;
  }
  .won-by {
    font-size: 12px;
  }
  .won b {
    color: var(--gain-text);
  }
</style>
