<script lang="ts">
  import HandIn from '$lib/places/hand-in/HandIn.svelte';
</script>

<HandIn />
