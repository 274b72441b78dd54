<script lang="ts">
  import First from '$lib/places/first/First.svelte';
</script>

<First />
