<script lang="ts">
  import DayCourse from '$lib/places/season/DayCourse.svelte';
</script>

<DayCourse />
