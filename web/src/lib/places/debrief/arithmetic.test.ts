import { describe, expect, it } from 'vitest';
import { unitOfQuantity } from '$lib/quantities/units';
import { sumOf } from './arithmetic';

const time = unitOfQuantity('time', 'metric');

describe('how a verdict comes about', () => {
  it('adds up as it is shown', () => {
    const found = sumOf(
      { before: 17.748, change: 0.1349, low: 0.05, high: 0.22, luck: -0.0649, whole: -0.1151 },
      time,
    );
    expect(found).toEqual({
      before: 17.75, after: 17.7, change: -0.05, luck: -0.06, whole: -0.12, left: 0.13, within: 0.09,
    }); // prettier-ignore
    if (!found) return;
    expect(found.luck + found.whole + found.left).toBeCloseTo(found.change, 9);
    expect(found.before + found.change).toBeCloseTo(found.after, 9);
  });

  it('turns speeds into the reader’s unit and says nothing where nothing is known', () => {
    const speed = unitOfQuantity('speed', 'imperial');
    const found = sumOf({ before: 20, change: 1, low: 0.5, high: 1.5, luck: null, whole: 0 }, speed);
    expect(found).toMatchObject({ before: 45, after: 47, left: 2, luck: 0 });
    expect(sumOf({ before: null, change: 1, low: 0, high: 1, luck: 0, whole: 0 }, speed)).toBeNull();
  });
});
