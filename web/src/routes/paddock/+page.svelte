<script lang="ts">
  import Paddock from '$lib/places/paddock/Paddock.svelte';
</script>

<Paddock />
