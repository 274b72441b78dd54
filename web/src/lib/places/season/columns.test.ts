import { describe, expect, it } from 'vitest';
import type { SeasonRun } from '$lib/api/client';
import { columnsOf, fitting, rangeOf, signOf, ticksOf } from './columns';

const run = (id: number, day: string, differs: SeasonRun['differs'] = []): SeasonRun => ({
  run: id,
  event: 1,
  event_name: '',
  day,
  started_at: null,
  kind: 'practice',
  trim: 1,
  laps: 6,
  best_s: 90 + id / 10,
  best_u_s: 0.01,
  theoretical_s: 89.8,
  median_s: 91,
  median_u_s: 0.1,
  spread_s: 0.3,
  spread_low_s: 0.2,
  spread_high_s: 0.6,
  differs,
});

describe('columns of runs', () => {
  it('puts every run in order and names a day once', () => {
    const columns = columnsOf(
      [run(1, '2026-01-01'), run(2, '2026-01-01'), run(3, '2026-02-01', ['car'])],
      600,
    );
    expect(columns.days.map((each) => each.day)).toEqual(['2026-01-01', '2026-02-01']);
    expect(columns.breaks).toHaveLength(1);
    expect(columns.at[3]).toBeGreaterThan(columns.at[2] ?? 0);
    expect(columns.breaks[0]?.x).toBeLessThan(columns.at[3] ?? 0);
  });

  it('grows wider than the page where there are many, and keeps the names of days apart', () => {
    const many = Array.from({ length: 120 }, (_, i) =>
      run(i, `2026-03-${String((i % 28) + 1).padStart(2, '0')}`),
    );
    const columns = columnsOf(many, 600);
    expect(columns.width).toBeGreaterThan(2000);
    const places = columns.days.map((each) => each.x);
    for (let i = 1; i < places.length; i += 1)
      expect((places[i] ?? 0) - (places[i - 1] ?? 0)).toBeGreaterThanOrEqual(52);
  });

  it('tells what differs as far as there is room', () => {
    const columns = columnsOf([run(1, 'a'), run(2, 'b', ['car', 'tyres']), run(3, 'c', ['car'])], 300);
    expect(columns.breaks.map((each) => Math.round(each.room))).toEqual([91, 105]);
    expect(fitting(['other car', 'other tyres'], 200)).toBe('other car, other tyres');
    expect(fitting(['other car', 'other tyres'], 90)).toBe('other car');
    expect(fitting(['other car', 'other tyres'], 20)).toBe('');
  });

  it('takes the range from what is known', () => {
    const [low, high] = rangeOf([{ ...run(1, ''), theoretical_s: null, median_s: null }]);
    expect(low).toBeLessThan(90.1);
    expect(high).toBeGreaterThan(90.1);
    expect(rangeOf([])).toEqual([0, 1]);
    for (const tick of ticksOf([low, high])) expect(tick).toBeGreaterThanOrEqual(low);
    expect(ticksOf([100, 104]).length).toBeGreaterThan(2);
  });

  it('tells what was there from what was not, and from what nobody knows', () => {
    expect(signOf({ stage: 'open', answer: 'no_change' }, false)).toBe('open');
    expect(signOf({ stage: 'kept', answer: 'worse' }, false)).toBe('there');
    expect(signOf({ stage: 'kept', answer: 'cannot_judge' }, false)).toBe('cannot');
    expect(signOf({ stage: 'lost_again', answer: 'no_change' }, false)).toBe('lost');
    expect(signOf({ stage: 'waiting', answer: 'kept' }, true)).toBe('there');
  });
});
