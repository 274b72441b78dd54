// The ink of each lap: its driver's colour, paler for further laps of the same driver; what was made of several drivers'
// laps is black.
import type { DeskLap } from '$lib/api/client';
import { driverColour, mixed } from '$lib/draw/colours';

export interface LapInk {
  colour: string;
  /** width of its line in pixels */
  weight: number;
  /** lengths of dash and gap, none for a driven lap */
  dash: number[];
}

// The first lap of a driver is as it is; each further one is paler and thinner, so that it stays told from the others.
const PALER = [0, 0.3, 0.46, 0.56, 0.62];

export function inkOf(lap: DeskLap, nth: number, dark: boolean): LapInk {
  const ink = lap.driver ? driverColour(lap.driver.colour, dark) : dark ? '#ece7dc' : '#20242e';
  if (lap.made) return { colour: ink, weight: 1.9, dash: lap.made.kind === 'median' ? [7, 3] : [2, 3] };
  const share = PALER[Math.min(nth, PALER.length - 1)] ?? 0;
  return { colour: mixed(ink, dark ? '#191c24' : '#faf8f3', share), weight: nth ? 1 : 1.3, dash: [] };
}

/** For names: never paler, so that they can be read. */
export const nameInk = (lap: DeskLap, dark: boolean): string =>
  lap.driver ? driverColour(lap.driver.colour, dark) : 'var(--ink)';
