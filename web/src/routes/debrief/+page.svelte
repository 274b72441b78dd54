<script lang="ts">
  import Debrief from '$lib/places/debrief/Debrief.svelte';
</script>

<Debrief />
