import { afterNavigate, beforeNavigate, pushState, replaceState } from '$app/navigation';
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

/** How a place walks through what was chosen in it. */
export interface Walk {
  /** what is chosen, in a word: where it changes, going back leads to what was chosen before; everything else that the
   * address says changes along with the present entry */
  chosen: () => string;
  /** the address was changed by going back or forward, or by a link: show what it says; whether that is done at once */
  follow: () => boolean;
}

/**
 * Keeps what a place shows in the address, a moment behind, so that it can be sent to somebody at any time. What is not
 * written yet when the place is left for another is written before, so that going back finds all of it.
 *
 * @param place the path of the place; its address is written only while it is on show
 * @param query what belongs behind the question mark; null while there is nothing to keep
 * @param walk where going back and forward leads through selections
 */
export function keepAddress(place: string, query: () => string | null, walk?: Walk): void {
  let pending: { timer: ReturnType<typeof setTimeout>; address: string; chosen: string } | null = null;
  /** what was chosen when the address was written last; null until then, and while an address is followed */
  let written: string | null = null;

  function write(push: boolean): void {
    if (!pending) return;
    const { timer, address, chosen } = pending;
    clearTimeout(timer);
    pending = null;
    // Going back has changed the browser's entry while the place still stands there, until what comes is loaded.
    if (page.url.pathname !== place || location.pathname !== place) return;
    if (push && written !== null && written !== chosen) pushState(address, {});
    else replaceState(address, {});
    written = chosen;
  }

  function drop(): void {
    if (pending) clearTimeout(pending.timer);
    pending = null;
  }

  $effect(() => {
    const asked = query();
    const chosen = walk?.chosen() ?? '';
    if (asked === null) return;
    if (pending) clearTimeout(pending.timer);
    const address = asked ? `${place}?${asked}` : place;
    pending = { timer: setTimeout(() => write(true), BEHIND_MS), address, chosen };
  });
  $effect(() => drop);

  function follow(): void {
    drop();
    written = null;
    if (walk?.follow()) written = walk.chosen();
  }

  // Going back or forward has changed the browser's entry already; what is pending would be written into the wrong one.
  beforeNavigate(({ type }) => {
    if (type !== 'popstate') write(false);
  });
  if (!walk) return;
  afterNavigate(({ type, from, to }) => {
    if (type !== 'enter' && from?.url.pathname === place && to?.url.pathname === place) follow();
  });
  // Between entries of one place nothing is navigated to; only the address changes.
  $effect(() => {
    const moved = (): void => {
      if (location.pathname === place && page.url.pathname === place) follow();
    };
    window.addEventListener('popstate', moved);
    return () => window.removeEventListener('popstate', moved);
  });
}
