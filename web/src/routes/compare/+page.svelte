<script lang="ts">
  import Compare from '$lib/places/compare/Compare.svelte';
</script>

<Compare />
