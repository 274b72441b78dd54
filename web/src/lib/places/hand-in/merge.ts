// What a look at a busy list tells: only what changed since the last one.
import type { HandIn, HandInList } from '$lib/api/client';

/** The list after an answer that holds only what changed. */
export function merge(known: HandInList, news: HandInList): HandInList {
  const changed = new Map(news.hand_ins.map((item) => [item.id, item]));
  const kept = known.hand_ins
    .filter((item) => !news.gone.includes(item.id))
    .map((item): HandIn => {
      const fresh = changed.get(item.id);
      changed.delete(item.id);
      return fresh ?? item;
    });
  return {
    ...known,
    hand_ins: [...changed.values(), ...kept].sort((a, b) => b.id - a.id),
    hidden: news.hidden,
    account: news.account,
    as_of: news.as_of,
  };
}
