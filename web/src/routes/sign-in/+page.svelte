<script lang="ts">
  import SignIn from '$lib/places/sign-in/SignIn.svelte';
</script>

<SignIn />
