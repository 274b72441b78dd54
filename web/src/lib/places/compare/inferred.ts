// What is said of pedals that were not logged: whose log misses them.
import type { DeskLap } from '$lib/api/client';
import { called } from '$lib/desk/called';
import { texts } from '$lib/words';

/** A sentence for each kind of log that misses something, with the drivers whose it is. */
export function inferredOf(rows: { lap: string; inferred: string[] }[], laps: DeskLap[]): string[] {
  const missing = new Map<string, { pedals: string[]; whose: Set<string> }>();
  for (const row of rows) {
    const lap = laps.find((item) => item.curves === row.lap);
    if (!row.inferred.length || !lap) continue;
    const kind = row.inferred.join();
    const same = missing.get(kind) ?? { pedals: row.inferred, whose: new Set() };
    same.whose.add(called(lap).name);
    missing.set(kind, same);
  }
  return [...missing.values()].map(({ pedals, whose }) =>
    texts.compare.inferred(texts.list([...whose]), pedals, whose.size === 1),
  );
}
