// What a lap of the line-up is called, and whether it was driven or made of others.
import type { DeskLap } from '$lib/api/client';
import { texts } from '$lib/words';

export interface Called {
  /** the driver, or everybody */
  name: string;
  /** what tells it from the same driver's other laps: a number, or what it is made of */
  nth: string;
}

export function called(lap: DeskLap): Called {
  const t = texts.compare.made;
  const name = lap.driver?.name ?? t.everybody;
  return { name, nth: lap.made ? t.short[lap.made.kind] : String(lap.number) };
}

/** In full, as sentences have it: "Ada, lap 3", "Ada, median lap". */
export function inFull(lap: DeskLap): string {
  const t = texts.compare;
  const { name } = called(lap);
  return lap.made ? `${name}, ${t.made.kinds[lap.made.kind]}` : t.lapOf(name, lap.number ?? 0);
}

/** A passage as drivers know it: by its first and last corner; by its number where it has none. */
export function passageCalled(passage: { name: string; corners: readonly string[] }): string {
  const [first, last] = [passage.corners[0], passage.corners.at(-1)];
  if (!first || !last) return texts.compare.passage(passage.name.slice(1));
  return first === last ? first : `${first}-${last}`;
}

/** As tables have it, the number or kind only where it is needed to tell laps apart. */
export const needsNumber = (laps: DeskLap[]): boolean =>
  laps.some((lap) => lap.made) || new Set(laps.map((lap) => lap.driver?.id)).size < laps.length;
