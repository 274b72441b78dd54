<script lang="ts">
  import { texts } from '$lib/words';
</script>

<div class="lost">
  <p>{texts.unknownPage}</p>
  <a class="do" href="/paddock">{texts.toPaddock}</a>
</div>

<style>
  .lost {
    padding: 60px;
    display: grid;
    gap: 16px;
    justify-items: start;
  }
</style>
