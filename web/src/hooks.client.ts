// What the page asks for first is asked for while the rest of the program is still on its way.
import { client } from '$lib/api/queries';
import { askedBy, deskQuery } from '$lib/desk/asking';
import { readPlace } from '$lib/desk/place';
import { present } from '$lib/session/present.svelte';

export function init(): void {
  present.ask();
  if (location.pathname === '/compare')
    void client.prefetchQuery(deskQuery(askedBy(readPlace(new URLSearchParams(location.search)))));
}
