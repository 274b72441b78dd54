<script lang="ts">
  import Running from '$lib/places/running/Running.svelte';
</script>

<Running />
