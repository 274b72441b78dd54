// The car watch's figures as they are read: units with digits that fit, lines lap by lap, and limits as they are typed.
import type { CarSheetIn, Watch, WatchLap } from '$lib/api/client';
import { figure, unitOfQuantity, type Unit, type UnitSystem } from '$lib/quantities/units';

/** More digits than a stave needs: a pressure that falls by a tenth of a bar says something. */
const DIGITS: Record<string, number> = {
  pressure: 2,
  temperature: 1,
  voltage: 2,
  speed: 1,
  acceleration: 2,
  share: 1,
};

export function watchUnit(quantity: string, system: UnitSystem): Unit {
  const own = unitOfQuantity(quantity, system);
  const digits = DIGITS[quantity] ?? own.digits;
  return { ...own, digits: own.label === 'psi' ? Math.min(digits, 1) : digits };
}

/** A change of a quantity: degrees that are added know no zero. */
export function change(value: number, unit: Unit, digits = unit.digits): string {
  return figure(value, { ...unit, offset: 0 }, digits);
}

export type Limit = NonNullable<CarSheetIn['limits']>[number];

/** One figure lap by lap, a piece for each run; laps without a value are gaps. */
export function lines(
  watch: Watch,
  column: number,
): { run: number; points: { lap: WatchLap; value: number }[] }[] {
  return watch.runs
    .map((run) => ({
      run: run.id,
      points: watch.laps.flatMap((lap) => {
        const value = lap.values[column];
        return lap.run === run.id && lap.time_s !== null && value !== null && value !== undefined
          ? [{ lap, value }]
          : [];
      }),
    }))
    .filter((line) => line.points.length);
}

export function rangeOf(values: number[]): [number, number] {
  const [low, high] = [Math.min(...values), Math.max(...values)];
  const room = 0.06 * (high - low) || Math.max(Math.abs(high) * 0.01, 1e-6);
  return [low - room, high + room];
}
