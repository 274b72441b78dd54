// Units of a driver who reads by a personal link: chosen on the phone and kept there.
import type { UnitSystem } from '$lib/quantities/units';

const KEY = 'lauftakt-units';

class OnPhone {
  units = $state<UnitSystem>('metric');

  constructor() {
    try {
      if (localStorage.getItem(KEY) === 'imperial') this.units = 'imperial';
    } catch {
      // A browser that keeps nothing shows metric units.
    }
  }

  choose(system: string): void {
    this.units = system === 'imperial' ? 'imperial' : 'metric';
    try {
      localStorage.setItem(KEY, this.units);
    } catch {
      // It holds until the page is left.
    }
  }
}

export const onPhone = new OnPhone();
