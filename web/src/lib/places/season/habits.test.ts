import { describe, expect, it } from 'vitest';
import type { CueOver } from '$lib/api/client';
import { habitsOf, spanOf } from './habits';

const cue = (
  id: number,
  run: number,
  corner: string,
  figure: string,
  value: number,
  looks: [number, number | null][],
) =>
  ({
    run,
    cue: {
      id,
      kind: 'cue',
      corner,
      passage: 'P5',
      reference: 215,
      target: { figure, value, now: value - 8 },
    },
    looks: looks.map(([at, after]) => ({ run: at, after })),
  }) as unknown as CueOver;

describe('habits', () => {
  it('shows a place and figure once, however often it was asked', () => {
    const asked = [
      cue(3, 30, 'T5', 'brake_point_m', 210, [[40, 209]]),
      cue(2, 30, 'T10', 'throttle_pickup_m', 90, []),
      cue(1, 20, 'T5', 'brake_point_m', 205, [
        [30, 201],
        [40, 208],
      ]),
    ];
    const found = habitsOf(asked);
    expect(found.map((one) => one.asked.map((over) => over.cue.id))).toEqual([[3, 1], [2]]);
    // The newest cue tells a run that both looked at.
    expect(found[0]?.runs).toEqual([
      { run: 30, value: 202 },
      { run: 40, value: 209 },
      { run: 20, value: 197 },
    ]);
  });

  it('leaves room for targets and the reference', () => {
    const [habit] = habitsOf([cue(1, 20, 'T5', 'brake_point_m', 205, [[30, null]])]);
    const [low, high] = habit ? spanOf(habit) : [0, 0];
    expect(low).toBeLessThan(197);
    expect(high).toBeGreaterThan(215);
  });
});
