<!-- The sign of a note, wherever one stands. -->
<svg width="11" height="13" viewBox="0 0 11 13" aria-hidden="true">
  <path d="M1.5 0.5V12.5" stroke="var(--accent)" stroke-width="1.6" fill="none" />
  <path d="M1.5 1H10L7.5 4L10 7H1.5Z" fill="var(--accent)" stroke="none" />
</svg>
