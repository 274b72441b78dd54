<script lang="ts">
  import LargeSheet from '$lib/places/debrief/LargeSheet.svelte';
</script>

<LargeSheet />
