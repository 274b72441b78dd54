import { describe, expect, it } from 'vitest';
import { rangeOf, spread } from './range';

describe('what a stave shows', () => {
  const values = Float32Array.from([5, 1, 2, NaN, 9]);
  it('is what lies on show, with its doubt, and zero where it is asked for', () => {
    expect(rangeOf([{ values }], 0, 4, false)).toEqual([1, 9]);
    expect(rangeOf([{ values }], 1, 2, false)).toEqual([1, 2]);
    expect(rangeOf([{ values }], 1, 2, true)).toEqual([0, 2]);
    expect(rangeOf([{ values, width: Float32Array.from([0, 2, 0, 0, 0]) }], 1, 2, false)).toEqual([-1, 3]);
  });
  it('has a height where all is alike, or nothing is known', () => {
    expect(rangeOf([{ values: Float32Array.from([3, 3]) }], 0, 1, false)).toEqual([2, 4]);
    expect(rangeOf([], 0, 1, false)).toEqual([0, 1]);
  });
});

describe('names where lines end', () => {
  it('lie apart, near their lines, inside the stave', () => {
    expect(spread([10, 50, 80], 12, 100)).toEqual([10, 50, 80]);
    for (const wanted of [[50, 50, 50, 50], [99, 98, 97], [0, -5, 3, 200], [10]]) {
      const found = spread(wanted, 12, 100).sort((a, b) => a - b);
      expect(Math.min(...found)).toBeGreaterThanOrEqual(0);
      expect(Math.max(...found)).toBeLessThanOrEqual(100);
      for (let i = 1; i < found.length; i++)
        expect((found[i] ?? 0) - (found[i - 1] ?? 0)).toBeGreaterThanOrEqual(12);
    }
  });
});
