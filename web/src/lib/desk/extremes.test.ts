import { describe, expect, it } from 'vitest';
import { extremesOf } from './extremes';

const s = Float64Array.from({ length: 101 }, (_, i) => i);

describe('what a channel does in a stretch', () => {
  it('tells lowest, highest and both ends, between metres too', () => {
    const values = Float64Array.from(s, (place) => Math.abs(place - 50));
    const found = extremesOf(s, values, undefined, { from: 40.5, to: 70 });
    expect(found).toMatchObject({ lowest: 0, highest: 20, first: 9.5, last: 20 });
  });

  it('takes the mean over time: where one is slow one is longer', () => {
    // 10 m/s up to 50 m, then 50 m/s: 5 s and 1 s.
    const speed = Float64Array.from(s, (place) => (place < 50 ? 10 : 50));
    const time = Float64Array.from(s, (place) => (place < 50 ? place / 10 : 5 + (place - 50) / 50));
    const found = extremesOf(s, speed, time, { from: 0, to: 100 });
    expect(found?.mean).toBeCloseTo(100 / 6, 0);
  });

  it('goes on across the line', () => {
    const values = Float64Array.from(s);
    expect(extremesOf(s, values, undefined, { from: 90, to: 10 })).toMatchObject({
      lowest: 0,
      highest: 100,
      first: 90,
      last: 10,
    });
  });

  it('leaves gaps out, and says so where nothing is known', () => {
    const values = Float64Array.from(s, (place) => (place > 20 && place < 40 ? NaN : place));
    expect(extremesOf(s, values, undefined, { from: 10, to: 60 })?.highest).toBe(60);
    expect(extremesOf(s, values, undefined, { from: 25, to: 35 })).toBeNull();
  });
});
