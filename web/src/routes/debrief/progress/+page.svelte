<script lang="ts">
  import Progress from '$lib/places/season/Progress.svelte';
</script>

<Progress />
