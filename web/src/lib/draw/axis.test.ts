import { describe, expect, it } from 'vitest';
import { distanceAxis, PER_SECOND, timeAxis } from './axis';
import { moved, scaleOf } from './scale';

/** A lap of 1000 m with a grid of whole metres and its end. */
const s = Float64Array.from({ length: 1002 }, (_, i) => (i === 1001 ? 1000.5 : i));
/** Seconds at a steady speed. */
const steady = (speed: number, late = 0) =>
  Float64Array.from(s, (place) => place / speed + (place > 500 ? late : 0));

describe('the time axis', () => {
  const reference = steady(40);
  const axis = timeAxis(s, reference, 0);

  it('stands places where the reference is, and finds them again', () => {
    expect(axis.to(400)).toBeCloseTo(10 * PER_SECOND, 6);
    for (const place of [0, 0.3, 123.4, 999.9, 1000.5])
      expect(axis.place(axis.to(place))).toBeCloseTo(place, 3);
    expect(axis.grid.at(-1)).toBeCloseTo((1000.5 / 40) * PER_SECOND, 6);
  });

  it('draws a channel of places where the places stand', () => {
    const ramp = Float64Array.from(s);
    const drawn = axis.alongPlaces(ramp);
    expect(drawn[axis.grid.findIndex((step) => step === 10 * PER_SECOND)]).toBeCloseTo(400, 3);
  });

  it('draws a lap by its own clock, and nothing where it has not begun or is over', () => {
    const slow = steady(20);
    const ramp = Float64Array.from(s);
    // After ten seconds the slower one has driven 200 m.
    expect(axis.alongLap(ramp, slow)[10 * PER_SECOND]).toBeCloseTo(200, 3);
    const quick = axis.alongLap(ramp, steady(80));
    expect(quick[10 * PER_SECOND]).toBeCloseTo(800, 3);
    expect(quick.at(-1)).toBeNaN();
    expect(axis.alongLap(ramp, undefined)[0]).toBeNaN();
  });

  it('starts all clocks where the stretch begins', () => {
    const from = timeAxis(s, reference, 600);
    const late = from.alongLap(Float64Array.from(s), steady(40, 3));
    // What was lost before the stretch does not move the lap within it.
    expect(late[Math.round(from.to(600))]).toBeCloseTo(600, 3);
    expect(late[Math.round(from.to(800))]).toBeCloseTo(800, 3);
    expect(from.told(from.to(600))).toBeCloseTo(0, 6);
    expect(from.step(from.told(123))).toBeCloseTo(123, 9);
  });

  it('keeps steps steps', () => {
    const gear = Float64Array.from(s, (place) => (place < 500 ? 3 : 4));
    expect(new Set(axis.alongLap(gear, steady(37), true).filter(Number.isFinite))).toEqual(new Set([3, 4]));
  });

  it('is what a scale can be built on: a place is found under its pixel', () => {
    const scale = scaleOf([200, 800], 600, axis);
    expect(scale.x(200)).toBe(0);
    expect(scale.x(800)).toBeCloseTo(600, 6);
    expect(scale.place(scale.x(450))).toBeCloseTo(450, 3);
    expect(moved(scale, scaleOf([200, 800], 600, axis))).toBeUndefined();
  });
});

describe('the distance axis', () => {
  it('leaves everything as it is', () => {
    const axis = distanceAxis(s);
    const values = Float32Array.from(s);
    expect(axis.alongLap(values, undefined)).toBe(values);
    expect([axis.to(12.5), axis.place(12.5), axis.told(12.5), axis.step(12.5)]).toEqual([
      12.5, 12.5, 12.5, 12.5,
    ]);
  });
});
