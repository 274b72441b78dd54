<script lang="ts">
  import School from '$lib/places/season/School.svelte';
</script>

<School />
