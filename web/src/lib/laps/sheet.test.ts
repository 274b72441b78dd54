import { describe, expect, it } from 'vitest';
import type { DayLaps } from '$lib/api/client';
import { alike, bestOfAll, between, cell, clockOf, deskAddress, groups, order, whereTimeIs } from './sheet';

const lap = (run: number, number: number, time: number | null, aside: string | null = null) => ({
  key: `${run}-${number}`,
  run,
  number,
  time_s: time,
  set_aside: aside,
});
const day = {
  drivers: [
    { driver: { id: 1, name: 'Ines' }, parts: [{ best_s: 30.1 }, { best_s: null }] },
    { driver: { id: 2, name: 'Okan' }, parts: [{ best_s: 29.9 }, { best_s: null }] },
  ],
  runs: [
    { id: 7, driver: 2, started_at: '2026-05-16T10:05:00+02:00' },
    { id: 8, driver: 1, started_at: null },
    { id: 9, driver: 2, started_at: '2026-05-16T15:05:00' },
  ],
  laps: [lap(7, 0, null, 'out'), lap(7, 1, 90), lap(8, 1, 91, 'slow'), lap(9, 1, 89)],
} as unknown as DayLaps;

describe('the sheet', () => {
  it('groups laps by driver and run, in the order of the drivers', () => {
    const shown = groups(day, { driver: null, onlyCounting: false });
    expect(order(shown)).toEqual(['8-1', '7-0', '7-1', '9-1']);
    expect(shown[1]?.runs.map((run) => [run.number, run.clock])).toEqual([
      [1, '10:05'],
      [2, '15:05'],
    ]);
  });

  it('shows one driver, or only what counts', () => {
    expect(order(groups(day, { driver: 2, onlyCounting: true }))).toEqual(['7-1', '9-1']);
    expect(groups(day, { driver: null, onlyCounting: true }).map((g) => g.driver.driver.name)).toEqual([
      'Okan',
    ]);
  });

  it('measures a cell against the own best or the best of all', () => {
    expect(bestOfAll(day, 0)).toBe(29.9);
    expect(bestOfAll(day, 1)).toBeNull();
    expect(cell(30.4, 'times', 30.1, 29.9)).toBe(30.4);
    expect(cell(30.4, 'own', 30.1, 29.9)).toBeCloseTo(0.3);
    expect(cell(30.4, 'all', 30.1, 29.9)).toBeCloseTo(0.5);
    expect(cell(null, 'own', 30.1, 29.9)).toBeNull();
    expect(cell(30.4, 'all', 30.1, null)).toBeNull();
    expect(alike(30.1, 30.1)).toBe(true);
    expect(alike(null, null)).toBe(false);
  });

  it('chooses from one lap to another, either way', () => {
    const keys = ['a', 'b', 'c', 'd'];
    expect(between(keys, 'c', 'a')).toEqual(['a', 'b', 'c']);
    expect(between(keys, 'gone', 'b')).toEqual(['b']);
  });

  it('opens the desk on just that', () => {
    expect(deskAddress(['7-1'], '9-1', { from_m: 10, to_m: 20.5 })).toBe(
      '/compare?laps=9-1,7-1&ref=9-1&lap=7-1&stretch=10.0-20.5',
    );
    expect(deskAddress(['9-1'], '9-1', { from_m: 900, to_m: 20 })).toBe('/compare?laps=9-1&ref=9-1&lap=9-1');
  });

  it('reads the clock at the circuit', () => {
    expect(clockOf('2026-05-16T09:40:00+02:00')).toBe('09:40');
    expect(clockOf(null)).toBe('');
  });

  it('says how much each gives away where, and the three places', () => {
    const part = (best_s: number | null, median_s: number | null) => ({ best_s, median_s });
    const there = {
      columns: [{ name: 'A' }, { name: 'B' }, { name: 'C' }, { name: 'D' }],
      drivers: [
        { counting: 4, parts: [part(10, 10.1), part(20, 20.2), part(30.4, 30.5), part(null, null)] },
        { counting: 3, parts: [part(10.2, 10.6), part(20.1, 20.4), part(30, 30), part(null, null)] },
        { counting: 0, parts: [] },
      ],
    } as unknown as DayLaps;
    const [first, second, none] = whereTimeIs(there, 'median');
    expect(first?.lost.map((s) => s && Number(s.toFixed(2)))).toEqual([0.1, 0.2, 0.5, null]);
    expect(first?.total).toBeCloseTo(0.8);
    expect(first?.most).toEqual([2, 1]);
    expect(second?.most).toEqual([0, 1]);
    expect(none).toBeUndefined();
    expect(whereTimeIs(there, 'best')[1]?.lost[2]).toBe(0);
  });
});
