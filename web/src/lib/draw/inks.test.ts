import { describe, expect, it } from 'vitest';
import type { DeskLap } from '$lib/api/client';
import { called, inFull, needsNumber } from '$lib/desk/called';
import { inkOf, nameInk } from './inks';

const driver = { id: 1, name: 'Ada', colour: 2, reference_only: false };
const driven = { driver, number: 7, made: null } as unknown as DeskLap;
const median = { driver, number: null, made: { kind: 'median', laps: 8, day: null } } as unknown as DeskLap;
const all = {
  driver: null,
  number: null,
  made: { kind: 'passages', laps: 8, day: null },
} as unknown as DeskLap;

describe('laps of one driver', () => {
  it('are told apart by tint and weight, the first the strongest', () => {
    const inks = [0, 1, 2, 3].map((nth) => inkOf(driven, nth, false));
    expect(new Set(inks.map((ink) => ink.colour)).size).toBe(4);
    expect(inks[0]?.weight).toBeGreaterThan(inks[1]?.weight ?? 9);
    // The name is never paler.
    expect(nameInk(driven, false)).toBe(inks[0]?.colour);
  });

  it('and what was made of laps by its dashes, of several drivers in black', () => {
    expect(inkOf(median, 0, false).dash).not.toEqual([]);
    expect(inkOf(median, 0, false).colour).toBe(nameInk(driven, false));
    expect(inkOf(all, 0, false).colour).toBe('#20242e');
    expect(nameInk(all, true)).toBe('var(--ink)');
  });
});

describe('what a lap is called', () => {
  it('is its driver and number, or what it is made of', () => {
    expect(called(driven)).toEqual({ name: 'Ada', nth: '7' });
    expect(called(median)).toEqual({ name: 'Ada', nth: 'median' });
    expect(called(all)).toEqual({ name: 'All', nth: 'best passages' });
    expect(inFull(driven)).toBe('Ada, lap 7');
    expect(inFull(all)).toBe('All, best passages in one lap');
    expect(needsNumber([driven])).toBe(false);
    expect(needsNumber([driven, median])).toBe(true);
  });
});
