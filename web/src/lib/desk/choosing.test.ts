import { describe, expect, it } from 'vitest';
import type { RunChoices } from '$lib/api/client';
import { fitting, ordered, stepped } from '$lib/desk/choosing';

const run = (id: number, name: string, car: string | null, day: string, laps: number[]): RunChoices => ({
  run: id,
  event: 1,
  day,
  driver: { id, name, colour: 0 } as unknown as RunChoices['driver'],
  car,
  conditions: null,
  started_at: `${day}T09:1${id}:00`,
  best: null,
  laps: laps.map((number) => ({ key: `${id}-${number}`, number, time_s: 90 + number, set_aside: null })),
});
const runs = [
  run(1, 'Ada Lindqvist', 'Coupe', '2026-05-16', [1, 2, 12]),
  run(2, 'Ben', null, '2026-05-17', [1, 2]),
];

describe('fitting', () => {
  it('finds by driver, car, day and lap', () => {
    expect(fitting(runs, '')).toBe(runs);
    expect(fitting(runs, 'lindQ').map((r) => r.run)).toEqual([1]);
    expect(fitting(runs, 'coupe').map((r) => r.run)).toEqual([1]);
    expect(fitting(runs, '05-17').map((r) => r.run)).toEqual([2]);
    expect(fitting(runs, 'ada 12')[0]?.laps.map((lap) => lap.number)).toEqual([12]);
    // A short number is a lap's, never a part of the day or the time.
    expect(fitting(runs, '2').map((r) => r.laps.map((lap) => lap.number))).toEqual([[2], [2]]);
    expect(fitting(runs, '09:11').map((r) => r.run)).toEqual([1]);
    expect(fitting(runs, 'nobody')).toEqual([]);
    // Each word narrows: no lap is number 2 and called Coupe elsewhere.
    expect(fitting(runs, 'ben coupe')).toEqual([]);
  });
});

describe('stepped', () => {
  // Two runs of five and three laps, in rows of three.
  const sizes = [5, 3];
  it('goes along and up and down, across runs', () => {
    expect(stepped('ArrowRight', 0, sizes, 3)).toBe(1);
    expect(stepped('ArrowLeft', 0, sizes, 3)).toBe(0);
    expect(stepped('ArrowRight', 7, sizes, 3)).toBe(7);
    expect(stepped('ArrowDown', 1, sizes, 3)).toBe(4);
    // Below a place that is missing in the last row, the last one.
    expect(stepped('ArrowDown', 2, sizes, 3)).toBe(4);
    expect(stepped('ArrowDown', 4, sizes, 3)).toBe(6);
    expect(stepped('ArrowUp', 6, sizes, 3)).toBe(4);
    expect(stepped('ArrowUp', 7, sizes, 3)).toBe(4);
    expect(stepped('ArrowUp', 1, sizes, 3)).toBe(1);
    expect(stepped('ArrowDown', 7, sizes, 3)).toBe(7);
    expect(stepped('Home', 6, sizes, 3)).toBe(0);
    expect(stepped('End', 0, sizes, 3)).toBe(7);
    expect(stepped('x', 0, sizes, 3)).toBeNull();
  });
  it('never leaves the cells', () => {
    for (const columns of [1, 2, 4, 9])
      for (let at = 0; at < 8; at++)
        for (const key of ['ArrowUp', 'ArrowDown', 'ArrowLeft', 'ArrowRight']) {
          const to = stepped(key, at, sizes, columns);
          expect(to).toBeGreaterThanOrEqual(0);
          expect(to).toBeLessThan(8);
        }
  });
});

describe('ordered', () => {
  it('keeps what lies there in its order, the reference first, and what is not in the list', () => {
    const ticked = new Set(['9-1', '1-2', '2-1']);
    expect(ordered(['9-1', '1-2', '1-1'], ['1-1', '1-2', '2-1'], ticked, '2-1')).toEqual([
      '2-1',
      '9-1',
      '1-2',
    ]);
  });
});
