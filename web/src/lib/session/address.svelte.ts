import { beforeNavigate, replaceState } from '$app/navigation';
import { page } from '$app/state';
import { SvelteURLSearchParams } from 'svelte/reactivity';

/** Browsers refuse an address that changes too often, as it would with every step of the cursor. */
const BEHIND_MS = 250;

/**
 * What the address says now. Where only the address was replaced, going back and forward leaves the page's own notion of
 * it behind, so that the browser's is read.
 */
export function addressed(): URLSearchParams {
  return new SvelteURLSearchParams(location.search);
}

/**
 * Keeps what a place shows in the address, a moment behind, so that it can be sent to somebody at any time. What is not
 * written yet when the place is left for another is written before, so that going back finds all of it.
 *
 * @param place the path of the place; its address is written only while it is on show
 * @param query what belongs behind the question mark; null while there is nothing to keep
 */
export function keepAddress(place: string, query: () => string | null): void {
  let pending: { timer: ReturnType<typeof setTimeout>; address: string } | null = null;

  function write(): void {
    if (!pending) return;
    const { timer, address } = pending;
    clearTimeout(timer);
    pending = null;
    // Going back has changed the browser's entry while the place still stands there, until what comes is loaded.
    if (page.url.pathname === place && location.pathname === place) replaceState(address, {});
  }

  $effect(() => {
    const asked = query();
    if (asked === null) return;
    if (pending) clearTimeout(pending.timer);
    pending = { timer: setTimeout(write, BEHIND_MS), address: asked ? `${place}?${asked}` : place };
  });
  $effect(() => () => {
    if (pending) clearTimeout(pending.timer);
    pending = null;
  });
  // Going back or forward has changed the browser's entry already; what is pending would be written into the wrong one.
  beforeNavigate(({ type }) => {
    if (type !== 'popstate') write();
  });
}
