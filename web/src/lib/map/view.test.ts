import { describe, expect, it } from 'vitest';
import { fitting, nearer, onGround, onScreen, roundLength, shifted, upwards, type Point } from './view';

const points: Point[] = [
  [0, 0],
  [200, 100],
  [50, 300],
];

describe('the view of the ground', () => {
  it.each([0, 0.7, -2.5])('holds all that it fits, turned by %f', (turn) => {
    const view = fitting(points, 400, 300, turn, 20);
    for (const point of points) {
      const [x, y] = onScreen(view, 400, 300, point);
      expect(x).toBeGreaterThanOrEqual(19.9);
      expect(x).toBeLessThanOrEqual(380.1);
      expect(y).toBeGreaterThanOrEqual(19.9);
      expect(y).toBeLessThanOrEqual(280.1);
      const [gx, gy] = onGround(view, 400, 300, [x, y]);
      expect(gx).toBeCloseTo(point[0], 6);
      expect(gy).toBeCloseTo(point[1], 6);
    }
  });

  it('shows north upwards, and a direction upwards where it is asked for', () => {
    const north = fitting(points, 400, 300, 0, 20);
    expect(onScreen(north, 400, 300, [0, 10])[1]).toBeLessThan(onScreen(north, 400, 300, [0, 0])[1]);
    const driving = fitting(points, 400, 300, upwards(-3, 4), 20);
    const [a, b] = [onScreen(driving, 400, 300, [0, 0]), onScreen(driving, 400, 300, [-3, 4])];
    expect(b[0]).toBeCloseTo(a[0], 6);
    expect(b[1]).toBeLessThan(a[1]);
  });

  it('keeps what lies under the pointer while it comes nearer', () => {
    const view = fitting(points, 400, 300, 0.4, 20);
    const held = onGround(view, 400, 300, [330, 40]);
    const near = nearer(view, 400, 300, [330, 40], 3, 0.1);
    const [x, y] = onScreen(near, 400, 300, held);
    expect([x, y].map(Math.round)).toEqual([330, 40]);
    expect(nearer(view, 400, 300, [0, 0], 1e-9, 0.1).scale).toBe(0.1);
    const moved = onScreen(shifted(near, 10, -5), 400, 300, held);
    expect(moved.map(Math.round)).toEqual([340, 35]);
  });

  it('stands a single point, and none', () => {
    expect(Number.isFinite(fitting([[5, 5]], 400, 300, 0, 20).scale)).toBe(true);
    expect(fitting([], 400, 300, 0, 20).at).toEqual([0, 0]);
  });

  it('has a round length for its scale', () => {
    expect(roundLength(1, 1)).toBe(100);
    expect(roundLength(4, 1)).toBe(20);
    expect(roundLength(1, 3.28)).toBe(200);
  });
});
