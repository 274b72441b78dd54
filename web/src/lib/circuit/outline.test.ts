import { describe, expect, it } from 'vitest';
import { beside, Outline } from '$lib/circuit/outline.svelte';

const square = { s: [0, 100, 200, 300], x: [0, 100, 100, 0], y: [0, 0, 100, 100] };

describe('a line drawn on the map', () => {
  it('lies left of the driving direction where the offset is positive', () => {
    expect(beside(square, true, 50, 6)).toEqual([50, 6]);
    expect(beside(square, true, 50, -6)).toEqual([50, -6]);
    expect(beside(square, true, 150, 5)).toEqual([95, 50]);
    // Over the start line, from the last point back to the first.
    expect(beside(square, true, 350, 5)).toEqual([5, 50]);
    expect(beside(square, false, 500, 0)).toEqual([0, 100]);
  });

  it('grows point by point and goes back', () => {
    const outline = new Outline();
    outline.begin('right');
    outline.add([0, 0]);
    outline.add([0.1, 0.1]);
    outline.add([10, 0]);
    expect(outline.points).toEqual([
      [0, 0],
      [10, 0],
    ]);
    outline.back();
    expect(outline.points).toHaveLength(1);
    outline.end();
    expect([outline.drawing, outline.points]).toEqual([false, []]);
  });
});
