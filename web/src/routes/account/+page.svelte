<script lang="ts">
  import Account from '$lib/places/account/Account.svelte';
</script>

<Account />
