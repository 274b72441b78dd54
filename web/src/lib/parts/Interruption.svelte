<!-- A band over the page while the server or its database is away; nothing moves for it. -->
<script lang="ts">
  import { online } from 'svelte/reactivity/window';
  import { interrupted } from '$lib/session/interrupted.svelte';
  import { texts } from '$lib/words';
</script>

<div class="place" role="status">
  {#if interrupted.sentence}
    <p>
      <span class="turning" aria-hidden="true"></span>
      {online.current === false ? texts.interrupted.connection : interrupted.sentence}
      <button type="button" onclick={() => interrupted.now()}>{texts.interrupted.now}</button>
    </p>
  {/if}
</div>

<style>
  .place {
    position: fixed;
    inset: 48px 0 auto;
    z-index: 60;
    display: grid;
    justify-items: center;
    pointer-events: none;
  }
  p {
    pointer-events: auto;
    display: flex;
    align-items: center;
    gap: 12px;
    max-width: min(680px, 94vw);
    margin: 6px;
    padding: 6px 8px 6px 16px;
    border-radius: 6px;
    background: var(--ink);
    color: var(--paper);
    box-shadow: 0 6px 24px rgb(0 0 0 / 0.24);
  }
  button {
    min-height: 32px;
    padding: 0 8px;
    font-weight: 640;
    text-decoration: underline;
    text-underline-offset: 3px;
    white-space: nowrap;
    cursor: pointer;
  }
  button:focus-visible {
    outline-color: var(--brass);
  }
  .turning {
    flex: none;
    width: 14px;
    height: 14px;
    border: 2px solid color-mix(in srgb, var(--paper) 35%, transparent);
    border-top-color: var(--paper);
    border-radius: 50%;
    animation: turn 1.1s linear infinite;
  }
  @keyframes turn {
    to {
      rotate: 1turn;
    }
  }
  @media (prefers-reduced-motion: reduce) {
    .turning {
      animation: none;
    }
  }
</style>
