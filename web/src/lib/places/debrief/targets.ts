// A target in a reader's words and units.
import type { Cue } from '$lib/api/client';
import { figure, unitOfQuantity, type UnitSystem } from '$lib/quantities/units';
import { texts } from '$lib/words';

export function targetText(target: Cue['target'], system: UnitSystem): string {
  const unit = unitOfQuantity(target.quantity, system);
  const label = unit.label ? `\u00a0${unit.label}` : '';
  const way = target.quantity === 'distance' ? '' : `${texts.debrief.ways[target.direction] ?? ''} `;
  return `${target.label} ${way}${figure(target.value, unit)}${label}, ${texts.debrief.now} ${figure(target.now, unit)}${label}`;
}
