import { describe, expect, it } from 'vitest';
import { spread } from './dots';
import { targetText } from './targets';

describe('dots of a figure', () => {
  it('lie in order inside the picture, behind the names of the rows', () => {
    const scale = spread([10, null, 12, 11], 200);
    expect(scale(10)).toBeLessThan(scale(11));
    expect(scale(11)).toBeLessThan(scale(12));
    expect(scale(10)).toBeGreaterThan(46);
    expect(scale(12)).toBeLessThan(200);
  });

  it('lie in the middle where all are one, or none is known', () => {
    expect(spread([3, 3], 200)(3)).toBe(119);
    expect(spread([null], 200)(3)).toBe(119);
  });
});

describe('a target in words', () => {
  const target = { label: 'lowest speed', quantity: 'speed', direction: 'high', value: 27.2, now: 26.1 };

  it('says the way and the unit of whoever reads it', () => {
    const own = { ...target, figure: 'min_speed' } as Parameters<typeof targetText>[0];
    expect(targetText(own, 'metric')).toBe('lowest speed at least 98\u00a0km/h, now 94\u00a0km/h');
    expect(targetText(own, 'imperial')).toBe('lowest speed at least 61\u00a0mph, now 58\u00a0mph');
  });

  it('is a place without a way', () => {
    const place = {
      ...target,
      figure: 'brake_point_m',
      label: 'brake point',
      quantity: 'distance',
      value: 1617,
      now: 1605,
    } as Parameters<typeof targetText>[0];
    expect(targetText(place, 'metric')).toBe('brake point 1617\u00a0m, now 1605\u00a0m');
  });
});
