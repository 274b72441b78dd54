<script lang="ts">
  import '../app.css';
  import { goto } from '$app/navigation';
  import { page } from '$app/state';
  import { QueryClientProvider } from '@tanstack/svelte-query';
  import type { Snippet } from 'svelte';
  import { client, whenUnknown } from '$lib/api/queries';
  import { registry } from '$lib/quantities/registry.svelte';
  import { again } from '$lib/session/again.svelte';
  import { chosen } from '$lib/session/chosen.svelte';
  import { present } from '$lib/session/present.svelte';
  import Interruption from '$lib/parts/Interruption.svelte';
  import Notes from '$lib/parts/Notes.svelte';
  import SignInAgain from '$lib/places/sign-in/SignInAgain.svelte';
  import Trouble from '$lib/parts/Trouble.svelte';

  let { children }: { children: Snippet } = $props();
  let trouble = $state<unknown>(null);

  // Places that need nobody signed in: links carry their own right, the first page its code.
  const open = $derived(
    ['/sign-in', '/first'].includes(page.url.pathname) || /^\/(give|join)\//.test(page.url.pathname),
  );

  async function toSignIn(): Promise<void> {
    const back = page.url.pathname + page.url.search;
    await goto(`/sign-in?to=${encodeURIComponent(back)}`, { replaceState: true });
  }

  async function begin(): Promise<void> {
    trouble = null;
    try {
      await present.load();
    } catch (error) {
      trouble = error;
    }
  }
  void begin();
  // Whoever will not sign in over the page is led to where they can.
  whenUnknown(() => {
    if (present.known) void toSignIn();
  });

  $effect(() => {
    if (present.known && !present.me && !open) void toSignIn();
  });
  let signedIn = false;
  $effect(() => {
    // What somebody saw goes with them; what a page of nobody's asks for is left alone.
    if (!present.me && signedIn) {
      client.clear();
      chosen.forget();
    }
    signedIn = present.me !== null;
    if (present.me) void registry.load().catch((error: unknown) => (trouble = error));
  });
</script>

<QueryClientProvider {client}>
  {#if trouble}
    <div class="alone"><Trouble error={trouble} again={begin} /></div>
  {:else if present.known && (present.me || open)}
    {@render children()}
  {/if}
  <Notes />
  <Interruption />
  {#if again.open}<SignInAgain />{/if}
</QueryClientProvider>

<style>
  .alone {
    padding: 40px;
  }
</style>
