<script lang="ts">
  import Circuit from '$lib/places/circuit/Circuit.svelte';
</script>

<Circuit />
