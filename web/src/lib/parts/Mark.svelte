<!-- The name with its mark: bar lines and a rising note. -->
<script lang="ts">
  import { texts } from '$lib/words';
</script>

<a class="signet" href="/paddock">
  <svg viewBox="0 0 24 24" width="24" height="24" aria-hidden="true">
    <path d="M3 3v18M6.4 3v18M21 3v18" stroke="currentColor" stroke-width="1.8" stroke-linecap="round" />
    <path
      d="M10 17c3.2 0 2.4-6.5 4.2-8.6S17.5 7 17.5 7"
      fill="none"
      stroke="var(--accent)"
      stroke-width="2"
      stroke-linecap="round"
    />
    <circle cx="12.8" cy="13.5" r="2.3" fill="var(--brass)" stroke="currentColor" />
  </svg>
  <span>{texts.name}</span>
</a>

<style>
  .signet {
    display: inline-flex;
    align-items: center;
    gap: 9px;
    font-size: 18px;
    font-weight: 640;
    color: var(--ink);
  }
  .signet:hover {
    text-decoration: none;
  }
</style>
