import { describe, expect, it } from 'vitest';
import { planeOf, type Cloud } from './plane';

const s = Float64Array.from([0, 1, 2, 3]);
const cloud = (xs: number[], ys: number[]): Cloud => ({
  key: 'a',
  xs: Float32Array.from(xs),
  ys: Float32Array.from(ys),
  colour: '#000',
  size: 2,
  dim: false,
  rank: 1,
});
const size = { width: 200, height: 100, round: false };

describe('two channels over one another', () => {
  it('holds every dot of the stretch, and only those', () => {
    const plane = planeOf(s, [cloud([0, 10, 20, 900], [5, 6, 7, -400])], [], (place) => place < 3, size);
    expect(plane.x(0)).toBeGreaterThanOrEqual(0);
    expect(plane.x(20)).toBeLessThanOrEqual(200);
    expect(plane.y(7)).toBeLessThan(plane.y(5));
    expect(plane.rangeX[1]).toBeLessThan(30);
  });

  it('passes over what nobody knows, and stands when all is alike or nothing is there', () => {
    const known = planeOf(s, [cloud([1, NaN, 3, 4], [2, 2, 2, NaN])], [], () => true, size);
    expect(known.rangeY[0]).toBeLessThan(2);
    expect(Number.isFinite(known.y(2))).toBe(true);
    expect(planeOf(s, [], [], () => true, size).rangeX).toEqual([0, 1]);
  });

  it('has one scale for both where directions count, and left is left', () => {
    const round = planeOf(s, [cloud([-9, 9, 0, 0], [0, 0, 4, -4])], [], () => true, { ...size, round: true });
    const [across, along] = [round.x(0) - round.x(1), round.y(0) - round.y(1)];
    expect(across).toBeCloseTo(along, 6);
    expect(round.x(9)).toBeLessThan(round.x(-9));
    expect(round.x(0)).toBeCloseTo(100, 6);
  });
});
