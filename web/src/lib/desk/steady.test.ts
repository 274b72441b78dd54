import { describe, expect, it } from 'vitest';
import type { Registry, Steady } from '$lib/api/client';
import { figureOf, rowsOf, sentenceOf } from './steady';

const spread = (value: number, low = value / 2, high = value * 2) => ({
  value,
  low,
  high,
  middle: 0,
  laps: 8,
});

function passage(name: string, corner: string, over: Partial<Steady['passages'][number]>) {
  return {
    name,
    numbers: [1, 2, 3],
    times_s: [9, 9.1, 9.2],
    time: spread(0.02),
    loss_s: 0.01,
    loss_u_s: 0.01,
    against: 'reference',
    level_s: 0.05,
    fast: true,
    steady: true,
    fast_sure: true,
    steady_sure: true,
    slope_s: 0,
    slope_clear: false,
    apart: [],
    corners: [{ corner, figures: {} }],
    loosest: null,
    ...over,
  };
}

const figures: Registry['figures'] = [
  { code: 'time', label: 'time', quantity: 'time', good: 'low', about: 'pace' },
  { code: 'brake_point_m', label: 'brake point', quantity: 'distance', good: null, about: 'braking' },
  { code: 'min_speed', label: 'lowest speed', quantity: 'speed', good: 'high', about: 'middle' },
];
const of: Steady = {
  lap: '7.2',
  laps: 8,
  passages: [
    passage('P1', 'T1', {}),
    passage('P2', 'T2', {
      fast: false,
      steady: false,
      time: spread(0.21, 0.12, 0.48),
      corners: [
        { corner: 'T2', figures: { brake_point_m: spread(2) } },
        { corner: 'T3', figures: { brake_point_m: spread(9.04), brake_peak: spread(0.031) } },
      ],
      loosest: { corner: 'T3', figure: 'brake_point_m' },
    }),
    passage('P3', 'T4', { fast: null, steady: null, time: null }),
  ],
  strong_first: ['P1', 'P2'],
};

describe('the picture of steadiness', () => {
  it('names strong places first, then the least steady one and what is loose there', () => {
    expect(sentenceOf(of, figures, 'metric')).toBe(
      'Fast and steady: T1. Least steady: T2 to T3, 0.21 s from lap to lap (between 0.12 and 0.48), above all the brake point: 9.0 m.',
    );
    expect(sentenceOf(of, figures, 'imperial')).toContain('29.7 ft');
    expect(sentenceOf({ ...of, strong_first: [] }, figures, 'metric')).toBe('');
  });

  it('has a row for the time and for every figure that is there, the loosest corner of a passage in it', () => {
    const rows = rowsOf(of, figures, 'metric');
    expect(rows.map((row) => row.code)).toEqual(['time', 'brake_point_m', 'brake_peak']);
    const [time, brake, peak] = rows;
    expect(time?.cells.map((cell) => cell?.value ?? null)).toEqual([0.02, 0.21, null]);
    expect(brake?.cells[0]).toBeNull();
    expect(brake?.cells[1]?.where).toBe('T3');
    expect(peak?.unit.label).toBe('%');
    const heights = time?.cells.flatMap((cell) => cell?.share ?? []) ?? [];
    expect(heights[1] ?? 0).toBeGreaterThan(heights[0] ?? 0);
    for (const cell of rows.flatMap((row) => row.cells))
      if (cell) expect(cell.from <= cell.share && cell.share <= cell.to && cell.to <= 100).toBe(true);
    expect(figureOf(of.passages[1], 'brake_point_m', 'T3')).toBe(true);
    expect(figureOf(of.passages[1], 'brake_point_m', 'T2')).toBe(false);
  });
});
