import { describe, expect, it } from 'vitest';
import type { DeskLap } from '$lib/api/client';
import { inOrder, lossOf, moved, sortedBy, unique } from './order';

const lap = (key: string, delta_s: number, sector_times_s: number[]): DeskLap =>
  ({ key, delta_s, sector_times_s }) as unknown as DeskLap;
const laps = [
  lap('r', 0, [30, 40]),
  lap('a', 0.6, [30.1, 40.5]),
  lap('b', 0.3, [30.4, 39.9]),
  lap('c', 0.9, []),
];
const keys = (found: DeskLap[]): string => found.map((item) => item.key).join('');

describe('the order of laps', () => {
  it('goes up and down, and not beyond the ends', () => {
    expect(keys(moved(laps, 'b', -1))).toBe('rbac');
    expect(keys(moved(laps, 'b', 1))).toBe('racb');
    expect(moved(laps, 'r', -1)).toBe(laps);
    expect(moved(laps, 'c', 1)).toBe(laps);
    expect(moved(laps, 'nobody', 1)).toBe(laps);
  });

  it('is by loss in the lap or a sector, the reference on top, what is not known last', () => {
    expect(keys(sortedBy(laps, 'lap', 'r'))).toBe('rbac');
    expect(keys(sortedBy(laps, 0, 'r'))).toBe('rabc');
    expect(keys(sortedBy(laps, 1, 'r'))).toBe('rbac');
    expect(lossOf(laps[1] as DeskLap, laps[0], 1)).toBeCloseTo(0.5);
    expect(lossOf(laps[3] as DeskLap, laps[0], 1)).toBeNaN();
  });

  it('is that of the address, what it does not name comes last', () => {
    expect(keys(inOrder(laps, ['c', 'gone', 'r']))).toBe('crab');
    expect(unique([3, 1, 3])).toEqual([3, 1]);
  });
});
