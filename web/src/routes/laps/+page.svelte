<script lang="ts">
  import Laps from '$lib/places/laps/Laps.svelte';
</script>

<Laps />
