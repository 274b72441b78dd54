import { describe, expect, it } from 'vitest';
import type { DeskLap, DeskLineUp } from '$lib/api/client';
import type { Curves } from './curves';
import { Desk } from './desk.svelte';
import { NOWHERE } from './place';
import { placeAt, Playing } from './playing.svelte';

const s = Float64Array.from({ length: 1001 }, (_, i) => i);
const steady = (speed: number) => Float64Array.from(s, (place) => place / speed);
const times: Record<string, Float64Array> = { quick: steady(50), slow: steady(40) };

function desk(): Desk {
  const found = new Desk();
  const lap = (key: string) => ({ key, curves: key, run: 1, number: 1, roles: [] }) as unknown as DeskLap;
  found.lay(
    {
      reference: 'quick',
      laps: [lap('quick'), lap('slow')],
      layout: { length_m: 1000, corners: [], passages: [] },
    } as unknown as DeskLineUp,
    { ...NOWHERE, chosen: 'slow' },
  );
  found.curves = {
    s,
    of: (key: string, role: string) => (role === 'time' ? times[key] : undefined),
    has: () => true,
  } as unknown as Curves;
  return found;
}

describe('playing', () => {
  it('knows where a lap was at a second, and that it was nowhere before and after', () => {
    expect(placeAt(s, steady(40), 2.5)).toBeCloseTo(100, 9);
    expect(placeAt(s, steady(40), -0.1)).toBeNaN();
    expect(placeAt(s, steady(40), 25.1)).toBeNaN();
    expect(placeAt(s, steady(40), 25)).toBe(1000);
  });

  it('by time tells who is ahead: all begin where the stretch begins', () => {
    const own = desk();
    own.mark(200, 600);
    const playing = new Playing(own);
    expect(playing.dots).toBeNull();
    playing.toggle();
    playing.go(2);
    expect(playing.dots?.quick).toBeCloseTo(300, 6);
    expect(playing.dots?.slow).toBeCloseTo(280, 6);
    // The score's cursor goes along with the chosen lap.
    expect(own.cursor).toBeCloseTo(280, 6);
    expect(playing.end).toBeCloseTo(10, 6);
    // Who is through waits at the end for the others.
    playing.go(7);
    expect(playing.dots?.quick).toBe(600);
  });

  it('by place tells who is faster: all are where the chosen one is', () => {
    const playing = new Playing(desk());
    playing.by = 'place';
    playing.toggle();
    playing.go(5);
    expect(playing.dots?.quick).toBeCloseTo(200, 6);
    expect(playing.dots?.slow).toBeCloseTo(200, 6);
  });

  it('goes round in a loop, or halts at the end; steps go back too', () => {
    const own = desk();
    own.mark(0, 400);
    const playing = new Playing(own);
    playing.toggle();
    playing.go(9);
    playing.go(2);
    expect(playing.clock).toBeCloseTo(1, 6);
    playing.loop = false;
    playing.go(30);
    expect(playing.clock).toBeCloseTo(10, 6);
    expect(playing.on).toBe(false);
    playing.go(-4);
    expect(playing.clock).toBeCloseTo(6, 6);
    playing.toggle();
    expect(playing.clock).toBeCloseTo(6, 6);
    playing.stop();
    expect(playing.dots).toBeNull();
  });

  it('begins at the cursor where somebody put it', () => {
    const own = desk();
    own.cursor = 400;
    const playing = new Playing(own);
    playing.toggle();
    expect(playing.clock).toBeCloseTo(10, 6);
    expect(playing.dots?.quick).toBeCloseTo(500, 6);
  });
});
