// The passage card's sentence, put together from the server's figures. What is worth saying is decided by their size
// against the reference lap; the words stand in `texts`.
import type { Card, DeskLap } from './api/client';
import { texts } from './texts';
import { figure, unitOf, type UnitSystem } from './units';

export interface Words {
  text: string;
  strong?: boolean;
}

const t = texts.compare;

/** Differences smaller than these are not worth a word: metres of place, metres a second of speed. */
const WORTH_M = 3;
const WORTH_MS = 0.4;

export function sentence(card: Card, lap: DeskLap, reference: DeskLap, units: UnitSystem): Words[] {
  const own = card.figures.find((row) => row.lap === lap.key);
  const base = card.figures.find((row) => row.lap === reference.key);
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
  if (habit && habit.of > 1) words.push({ text: ` ${t.inLaps(habit.losing, habit.of)}` });
  words.push({ text: '. ' });
  const facts = factsOf(own, base, units);
  if (facts.length) {
    const said = facts.length > 1 ? `${facts.slice(0, -1).join(', ')} and ${facts.at(-1)}` : (facts[0] ?? '');
    words.push({
      text: `${t.than(reference.driver.id === lap.driver.id ? t.itsLap(reference.number) : reference.driver.name, said)} `,
    });
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

function factsOf(own: Card['figures'][number], base: Card['figures'][number], units: UnitSystem): string[] {
  const distance = unitOf('distance', units);
  const speed = unitOf('speed', units);
  const metres = (value: number) => `${figure(Math.abs(value), distance)} ${distance.label}`;
  const facts: string[] = [];
  if (own.brake_point_m !== null && base.brake_point_m !== null) {
    const by = own.brake_point_m - base.brake_point_m;
    if (Math.abs(by) >= WORTH_M) facts.push(by < 0 ? t.brakesEarlier(metres(by)) : t.brakesLater(metres(by)));
  }
  const by = (own.min_speed ?? 0) - (base.min_speed ?? 0);
  if (own.min_speed !== null && base.min_speed !== null && Math.abs(by) >= WORTH_MS) {
    const said = `${figure(Math.abs(by), speed)} ${speed.label}`;
    facts.push(by < 0 ? t.slower(said) : t.faster(said));
  }
  if (own.full_throttle_m !== null && base.full_throttle_m !== null) {
    const late = own.full_throttle_m - base.full_throttle_m;
    if (Math.abs(late) >= WORTH_M)
      facts.push(late > 0 ? t.fullLater(metres(late)) : t.fullEarlier(metres(late)));
  }
  return facts;
}
