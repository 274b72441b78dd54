// A target in a reader's words and units.
import type { Cue } from '$lib/api/client';
import { figure, unitOfQuantity, type UnitSystem } from '$lib/quantities/units';
import { texts } from '$lib/words';

/** What reaching a target is worth, with its 95 % interval; null where it may as well be nothing. */
export function worthText(
  of: { worth_s?: number | null; worth_u_s?: number | null },
  system: UnitSystem,
): string | null {
  const { worth_s: gain, worth_u_s: u } = of;
  if (gain === null || gain === undefined || u === null || u === undefined || gain <= 2 * u) return null;
  const unit = unitOfQuantity('time', system);
  return texts.debrief.worth(figure(gain, unit), figure(2 * u, unit));
}

export function targetText(target: Cue['target'], system: UnitSystem): string {
  const unit = unitOfQuantity(target.quantity, system);
  const label = unit.label ? `\u00a0${unit.label}` : '';
  const way = target.quantity === 'distance' ? '' : `${texts.debrief.ways[target.direction] ?? ''} `;
  return `${target.label} ${way}${figure(target.value, unit)}${label}, ${texts.debrief.now} ${figure(target.now, unit)}${label}`;
}
