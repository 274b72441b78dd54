<script lang="ts">
  import Calendar from '$lib/places/season/Calendar.svelte';
</script>

<Calendar />
