// What the picture of steadiness shows of the core's spreads: rows of bars, and a sentence.
import type { Registry, Steady, SteadyPassage } from '$lib/api/client';
import { figure, unitOfQuantity, type Unit, type UnitSystem } from '$lib/quantities/units';
import { texts } from '$lib/words';

export const TIME = 'time';
/** What is drawn, from entry to exit; the table has all. */
const DRAWN = ['brake_point_m', 'brake_rise_s', 'brake_peak', 'brake_release_m', 'min_speed', 'throttle_pickup_m', 'full_throttle_m']; // prettier-ignore
/** The core's own figure: a share of the run's hardest braking. */
const PEAK = 'brake_peak';

type Figures = Registry['figures'];
type Spread = NonNullable<SteadyPassage['time']>;

export interface Cell extends Pick<Spread, 'value' | 'low' | 'high' | 'laps'> {
  /** corner, or corners of the passage */
  where: string;
  /** heights in per cent of the row's */
  share: number;
  from: number;
  to: number;
}

export interface Row {
  code: string;
  label: string;
  unit: Unit;
  digits: number;
  cells: (Cell | null)[];
}

/** Spreads are differences: a unit whose zero lies elsewhere has none here. */
function unitFor(code: string, figures: Figures, system: UnitSystem): { label: string; unit: Unit } {
  const entry = figures.find((one) => one.code === code);
  const quantity = code === PEAK ? 'share' : (entry?.quantity ?? 'plain');
  const label = code === PEAK ? (texts.compare.pictures.steady.rows[PEAK] ?? '') : (entry?.label ?? code);
  return { label, unit: { ...unitOfQuantity(quantity, system), offset: 0 } };
}

/** One row for the time and each of the figures that any passage has; the height of a bar is its share of the row's largest. */
export function rowsOf(of: Steady, figures: Figures, system: UnitSystem): Row[] {
  const rows: Row[] = [];
  for (const code of [TIME, ...DRAWN]) {
    const spreads = of.passages.map((passage) => loosestOf(passage, code));
    const known = spreads.flatMap((one) => one?.spread.value ?? []);
    if (!known.length) continue;
    const { label, unit } = unitFor(code, figures, system);
    // Intervals of few laps are wide: what does not fit is cut, its figure is said.
    const full = Math.max(...known) * 1.35 || 1;
    const share = (value: number): number => Math.min(100, (100 * value) / full);
    rows.push({
      code,
      label,
      unit,
      digits: unit.label === 's' ? 3 : Math.max(unit.digits, 1),
      cells: spreads.map(
        (one) =>
          one && {
            ...one.spread,
            where: one.where,
            share: share(one.spread.value),
            from: share(one.spread.low),
            to: share(one.spread.high),
          },
      ),
    });
  }
  return rows;
}

/** Of a passage with several corners the one where a figure is loosest. */
function loosestOf(passage: SteadyPassage, code: string): { where: string; spread: Spread } | null {
  if (code === TIME) {
    const where = passage.corners.map((corner) => corner.corner).join(', ') || passage.name;
    return passage.time && { where, spread: passage.time };
  }
  const found = passage.corners.flatMap((corner) => {
    const spread = corner.figures[code];
    return spread ? [{ where: corner.corner, spread }] : [];
  });
  return found.reduce<(typeof found)[number] | null>(
    (most, one) => (most && most.spread.value >= one.spread.value ? most : one),
    null,
  );
}

/** Whether a figure is what a passage is looser in than others. */
export const figureOf = (passage: SteadyPassage | undefined, code: string, where: string): boolean =>
  passage?.loosest?.figure === code && passage.loosest.corner === where;

/** Strong places first, then the least steady one and what is loose there. */
export function sentenceOf(of: Steady, figures: Figures, system: UnitSystem): string {
  const t = texts.compare.pictures.steady;
  const named = (name: string): string =>
    of.passages
      .find((one) => one.name === name)
      ?.corners.map((corner) => corner.corner)
      .join(' to ') ?? name;
  const judged = of.strong_first.flatMap((name) => of.passages.find((one) => one.name === name) ?? []);
  if (!judged.length) return '';
  const strong = judged.filter((one) => one.fast && one.steady).map((one) => named(one.name));
  const said = [strong.length ? t.strong(strong.join(', ')) : t.noneStrong];
  const loose = judged
    .filter((one) => one.steady === false && one.time)
    .sort((a, b) => (b.time?.value ?? 0) - (a.time?.value ?? 0))[0];
  if (loose?.time) {
    const time = unitFor(TIME, figures, system).unit;
    const { value, low, high } = loose.time;
    let sentence = t.unsteady(named(loose.name), figure(value, time, 2), figure(low, time, 2), figure(high, time, 2), time.label); // prettier-ignore
    const { loosest } = loose;
    const spread =
      loosest && loose.corners.find((one) => one.corner === loosest.corner)?.figures[loosest.figure];
    if (loosest && spread) {
      const { label, unit } = unitFor(loosest.figure, figures, system);
      sentence += t.above(
        label.toLowerCase(),
        figure(spread.value, unit, Math.max(unit.digits, 1)),
        unit.label,
      );
    }
    said.push(`${sentence}.`);
  }
  return said.join(' ');
}
