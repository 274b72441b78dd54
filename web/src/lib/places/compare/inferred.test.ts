import { describe, expect, it } from 'vitest';
import type { DeskLap } from '$lib/api/client';
import { inferredOf } from './inferred';

const laps = [
  { curves: 'a', driver: { id: 1, name: 'Ada' }, number: 2 },
  { curves: 'b', driver: { id: 2, name: 'Bo' }, number: 3 },
  { curves: 'c', driver: { id: 3, name: 'Cy' }, number: 4 },
  { curves: 'd', driver: { id: 2, name: 'Bo' }, number: 5 },
] as unknown as DeskLap[];

describe('what is said of pedals that were not logged', () => {
  it('names those whose log misses them, each once, and nobody else', () => {
    expect(
      inferredOf(
        [
          { lap: 'a', inferred: [] },
          { lap: 'b', inferred: ['brake'] },
          { lap: 'd', inferred: ['brake'] },
          { lap: 'c', inferred: ['brake', 'throttle'] },
        ],
        laps,
      ),
    ).toEqual([
      'Braking of Bo is inferred from accelerations: that log has no brake.',
      'Braking and throttle of Cy are inferred from accelerations: that log has no pedals.',
    ]);
  });

  it('says nothing where everybody logged both', () => {
    expect(inferredOf([{ lap: 'a', inferred: [] }], laps)).toEqual([]);
  });
});
