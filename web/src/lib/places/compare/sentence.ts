// The passage card's sentence, put together from what the server says; the words stand in `texts`.
import type { Card, DeskLap } from '$lib/api/client';
import { texts } from '$lib/words';
import { figure, unitOf, type UnitSystem } from '$lib/quantities/units';

export interface Words {
  text: string;
  strong?: boolean;
}

const t = texts.compare;
// Less is not told; nor are more causes than anybody can keep in mind.
const WORTH_S = 0.02;
const MOST = 3;

export function sentence(card: Card, lap: DeskLap, reference: DeskLap, units: UnitSystem): Words[] {
  const own = card.figures.find((row) => row.lap === lap.curves);
  const base = card.figures.find((row) => row.lap === reference.curves);
  if (!own || !base) return [];
  const name = lap.driver.name;
  if (lap.key === reference.key) return [{ text: t.isReference(name, lap.number) }];
  const time = unitOf('time', units);
  const size = figure(Math.abs(own.loss_s), time);
  const doubt = figure(2 * own.loss_u_s, time);
  const clear = Math.abs(own.loss_s) > 2 * own.loss_u_s && size !== '0.00';
  const words: Words[] = [
    {
      text: clear
        ? own.loss_s > 0
          ? t.gives(name, size, doubt)
          : t.wins(name, size, doubt)
        : t.level(name, doubt),
      strong: true,
    },
  ];
  const habit = card.habits.find((item) => item.run === lap.run);
  if (habit && habit.of > 1 && !habit.finding) words.push({ text: ` ${t.inLaps(habit.losing, habit.of)}` });
  words.push({ text: '. ' });
  const facts = factsOf(own, units);
  if (facts.length) {
    const said = facts.length > 1 ? `${facts.slice(0, -1).join(', ')} and ${facts.at(-1)}` : (facts[0] ?? '');
    words.push({
      text: `${t.than(reference.driver.id === lap.driver.id ? t.itsLap(reference.number) : reference.driver.name, lap.driver.name, said)} `,
    });
  } else if (clear && own.loss_s > 0) words.push({ text: `${t.unclear} ` });
  if (habit?.finding && habit.finding.loss_s > 0) {
    const { loss_s, loss_u_s, seen_in, of } = habit.finding;
    words.push({ text: `${t.habit(figure(loss_s, time), figure(2 * loss_u_s, time), seen_in.length, of)} ` });
  }
  if (
    habit &&
    clear &&
    own.loss_s > 0 &&
    habit.best_lap !== lap.number &&
    habit.best_loss_s < own.loss_s - 0.05
  ) {
    const best = figure(Math.abs(habit.best_loss_s), time);
    words.push({
      text: habit.best_loss_s >= 0 ? t.bestLap(habit.best_lap, best) : t.bestLapGain(habit.best_lap, best),
    });
  }
  return words;
}

/** How a gap between two values of a figure is shown. */
function kindOf(name: string): 'distance' | 'width' | 'speed' | 'time' {
  if (name.endsWith('_m')) return 'distance';
  if (name.includes('speed')) return 'speed';
  return name.endsWith('_width') || name.startsWith('offset') ? 'width' : 'time';
}

/** What the core says of this lap, in the user's units. */
function factsOf(own: Card['figures'][number], units: UnitSystem): string[] {
  const gap = (value: number, kind: 'distance' | 'speed' | 'width') => {
    const unit = unitOf(kind, units);
    return `${figure(Math.abs(value), unit)} ${unit.label}`;
  };
  const time = unitOf('time', units);
  const told = own.causes
    .filter((cause) => cause.cost_s >= WORTH_S && cause.cost_s > cause.cost_u_s)
    .slice(0, MOST);
  return told.flatMap((cause) => {
    const cost = figure(cause.cost_s, time);
    const said = t.causes[cause.cause];
    const plain = t.plainCauses[cause.cause];
    if (cause.figure === null || cause.own === null || cause.theirs === null) {
      return plain ? [t.costs(plain, cost)] : [];
    }
    const { figure: name, own: mine, theirs } = cause;
    // A difference that is shown as nothing is not told.
    const shown = figure(Math.abs(mine - theirs), unitOf(kindOf(name), units));
    if (plain && Number(shown) === 0) return [t.costs(plain, cost)];
    const value = (v: number) =>
      name.endsWith('_s')
        ? `${figure(v, time)} s`
        : name === 'mean_braking' || name === 'brake_level'
          ? `${figure(v, unitOf('acceleration', units))} g`
          : figure(v, unitOf('plain', units));
    const by = mine - theirs;
    const fact = {
      figure: name,
      distance: gap(by, 'distance'),
      width: gap(by, 'width'),
      speed: gap(by, 'speed'),
    };
    return said ? [t.costs(said({ ...fact, own: value(mine), theirs: value(theirs) }), cost)] : [];
  });
}
