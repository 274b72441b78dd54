<script lang="ts">
  import Give from '$lib/places/give/Give.svelte';
</script>

<Give />
