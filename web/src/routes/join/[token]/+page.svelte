<script lang="ts">
  import Join from '$lib/places/first/Join.svelte';
</script>

<Join />
