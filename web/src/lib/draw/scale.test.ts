import { describe, expect, it } from 'vitest';
import { pieces, within } from '$lib/desk/stretch';
import { moved, scaleOf } from './scale';

describe('the scale along the circuit', () => {
  it('turns places into pixels and back', () => {
    const scale = scaleOf([1000, 2000], 500);
    expect(scale.x(1500)).toBe(250);
    expect(scale.place(250)).toBe(1500);
    expect(scale.perStep).toBe(0.5);
  });

  it('tells how a picture of another view has to be moved to lie on this one', () => {
    const drawn = scaleOf([0, 4000], 800);
    expect(moved(drawn, scaleOf([0, 4000], 800))).toBeUndefined();
    // 1000 to 2000 m fill the width: four times as wide, its beginning 800 px to the left.
    expect(moved(drawn, scaleOf([1000, 2000], 800))).toBe('translateX(-800px) scaleX(4)');
  });

  it('stands a view without any width', () => {
    expect(Number.isFinite(scaleOf([5, 5], 100).x(5))).toBe(true);
  });
});

describe('a stretch', () => {
  it('is one piece, or two where it crosses the line', () => {
    expect(pieces({ from: 100, to: 300 }, 4000)).toEqual([[100, 300]]);
    expect(pieces({ from: 3800, to: 200 }, 4000)).toEqual([
      [0, 200],
      [3800, 4000],
    ]);
  });

  it('knows what lies in it', () => {
    expect([50, 100, 300, 301].map((s) => within({ from: 100, to: 300 }, s))).toEqual([
      false,
      true,
      true,
      false,
    ]);
    expect([0, 200, 201, 3900].map((s) => within({ from: 3800, to: 200 }, s))).toEqual([
      true,
      true,
      false,
      true,
    ]);
    expect(within(null, 100)).toBe(false);
  });
});
