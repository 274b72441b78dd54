import { describe, expect, it } from 'vitest';

import type { Card, DeskLap } from '$lib/api/client';
import { sentence } from '$lib/places/compare/sentence';

const lap = (key: string, name: string, run: number, number: number) =>
  ({ key, curves: key, run, number, driver: { id: run, name, colour: 0 } }) as DeskLap;

const halvard = lap('1.2', 'Halvard', 1, 2);
const ines = lap('2.5', 'Ines', 2, 5);

type Row = Card['figures'][number];

const row = (key: string, loss: number, causes: Row['causes'] = []) =>
  ({ lap: key, loss_s: loss, loss_u_s: 0.01, whole: true, causes }) as Row;

const card = (own: Row, habits: Card['habits'] = []) =>
  ({ from_m: 0, to_m: 100, passage: 'P1', figures: [row('1.2', 0), own], habits }) as Card;

const said = (given: Card, units: 'metric' | 'imperial' = 'metric') =>
  sentence(given, ines, halvard, units)
    .map((part) => part.text)
    .join('');

const price = { cost_s: 0.1, cost_u_s: 0.02 };
const early = { cause: 'early_brake', figure: 'brake_point_m', own: 2018, theirs: 2030, ...price };
const slow = { cause: 'over_slow', figure: 'min_speed', own: 14, theirs: 15, ...price };

describe('the sentence of the card', () => {
  it('says what the server found, in the units of the user', () => {
    const given = card(row('2.5', 0.4, [early, slow]));
    expect(said(given)).toContain('Ines gives away 0.40 s (± 0.02) here');
    expect(said(given)).toContain(
      'brakes 12 m earlier (0.10 s) and is 4 km/h slower at the slowest point (0.10 s)',
    );
    expect(said(given, 'imperial')).toContain('brakes 39 ft earlier (0.10 s) and is 2 mph slower');
  });

  it('says so when the figures do not tell why', () => {
    expect(said(card(row('2.5', 0.4)))).toContain('The figures do not tell why');
    expect(said(card(row('2.5', 0.01)))).toContain('level here');
    expect(said(card(row('2.5', 0.01)))).not.toContain('do not tell why');
  });

  it('tells the habit behind a lap', () => {
    const finding = {
      loss_s: 0.31, loss_u_s: 0.02, cause: 'early_brake', second_cause: null, seen_in: [1, 2, 4], of: 4,
      parts: { entry: 0.31 }, causes: [], brought_in_s: 0, unexplained_s: 0.31, carried_s: null,
    }; // prettier-ignore
    const habit = { run: 2, losing: 4, of: 4, best_lap: 5, best_loss_s: 0.4, median_loss_s: 0.5, finding };
    const words = said(card(row('2.5', 0.4, [early]), [habit]));
    expect(words).toContain('the habit costs 0.31 s (± 0.04), seen in 3 of 4 laps');
    expect(words).not.toContain('loses in');
  });

  it('has words and no placeholder for every cause', () => {
    const causes = [
      'early_brake', 'soft_brake', 'slow_brake_rise', 'early_release', 'late_release', 'interrupted_brake',
      'braked_too_late', 'over_slow', 'coasting', 'late_throttle', 'hesitant_throttle', 'needless_lift', 'wrong_gear',
      'early_turn_in', 'late_turn_in', 'unused_width', 'oversteer', 'locked_wheel', 'car_or_conditions',
    ]; // prettier-ignore
    for (const cause of causes) {
      const words = said(
        card(row('2.5', 0.4, [{ cause, figure: 'brake_rise_s', own: 0.5, theirs: 0.2, ...price }])),
      );
      expect(words, cause).toContain('Compared with Halvard, Ines ');
      expect(words, cause).not.toMatch(/undefined|NaN|\[object/);
    }
  });

  it('tells a cause without a figure, and leaves out what is within its own doubt', () => {
    const bare = { cause: 'late_turn_in', figure: null, own: null, theirs: null, ...price };
    const unsure = { ...early, cost_s: 0.03, cost_u_s: 0.05 };
    const words = said(card(row('2.5', 0.4, [bare, unsure])));
    expect(words).toContain('turns in late (0.10 s)');
    expect(words).not.toContain('brakes');
  });

  it('names the reference', () => {
    const words = sentence(card(row('2.5', 0.4)), halvard, halvard, 'metric');
    expect(words.map((part) => part.text).join('')).toContain('is the reference');
  });
});
