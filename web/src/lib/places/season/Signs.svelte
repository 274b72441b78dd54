<!-- What the signs of a cue's line mean. -->
<script lang="ts">
  import { texts } from '$lib/words';

  const t = texts.season.signs;
</script>

<ul class="muted">
  <li><svg viewBox="0 0 16 16"><path class="asked" d="M 8 2 l 6 6 l -6 6 l -6 -6 z" /></svg>{t.asked}</li>
  <li><svg viewBox="0 0 16 16"><circle class="open" cx="8" cy="8" r="5.5" /></svg>{t.open}</li>
  <li><svg viewBox="0 0 16 16"><circle class="there" cx="8" cy="8" r="6" /></svg>{t.there}</li>
  <li>
    <svg viewBox="0 0 16 16"
      ><circle class="open" cx="8" cy="8" r="5.5" /><path
        class="cross"
        d="M 4.5 4.5 l 7 7 m 0 -7 l -7 7"
      /></svg
    >{t.lost}
  </li>
  <li><svg viewBox="0 0 16 16"><line class="cannot" x1="3" x2="13" y1="8" y2="8" /></svg>{t.cannot}</li>
</ul>

<style>
  ul {
    display: flex;
    flex-wrap: wrap;
    gap: 2px 14px;
    font-size: 12.5px;
  }
  li {
    display: flex;
    align-items: center;
    gap: 5px;
  }
  svg {
    width: 14px;
    height: 14px;
  }
  .asked {
    fill: var(--brass);
    stroke: var(--ink);
  }
  .open {
    fill: var(--paper);
    stroke: var(--ink);
    stroke-width: 1.5;
  }
  .there {
    fill: var(--ink);
  }
  .cross {
    stroke: var(--ink);
    stroke-width: 1.5;
    fill: none;
  }
  .cannot {
    stroke: var(--field);
    stroke-width: 3;
  }
</style>
