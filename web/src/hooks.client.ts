// What the page asks for first is asked for while the rest of the program is still on its way.
import { client } from '$lib/api/queries';
import { askedBy, deskQuery } from '$lib/desk/asking';
import { readPlace } from '$lib/desk/place';
import { present } from '$lib/session/present.svelte';

export function init(): void {
  const { pathname, search } = location;
  void present.ask().then((session) => {
    // Only for somebody who is signed in: nobody else is asked for a password over a page that they may not see.
    if (session?.me && pathname === '/compare')
      void client.prefetchQuery(deskQuery(askedBy(readPlace(new URLSearchParams(search)))));
  });
}
