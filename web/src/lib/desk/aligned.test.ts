import { describe, expect, it } from 'vitest';
import { around } from './aligned';

/** a channel that rises from 0 at 200 m to 4 at 400 m, at each metre */
const grid = Float64Array.from({ length: 1001 }, (_, i) => i);
const fine = Float64Array.from(grid, (at) => Math.min(Math.max((at - 200) / 50, 0), 4));

describe('laps around a place of each', () => {
  it('lie on one another where they do the same at another place', () => {
    const shifted = Float64Array.from(grid, (at) => Math.min(Math.max((at - 230) / 50, 0), 4));
    const [one, other] = around(
      grid,
      [
        { key: 'a', values: fine, place: 200 },
        { key: 'b', values: shifted, place: 230 },
      ],
      20,
      100,
      5,
    );
    expect(one?.points).toEqual(other?.points);
    expect(one?.points[0]).toEqual([-20, 0]);
    expect(one?.points.at(-1)).toEqual([100, 1]);
  });

  it('run on across the line, and leave out what does not happen', () => {
    const found = around(
      grid,
      [
        { key: 'a', values: fine, place: 990 },
        { key: 'b', values: fine, place: null },
      ],
      10,
      50,
      10,
    );
    expect(found).toHaveLength(1);
    expect(found[0]?.points.map(([at]) => at)).toEqual([-10, 0, 10, 20, 30, 40, 50]);
    expect(around(grid, [{ key: 'a', values: undefined, place: 3 }], 10, 10, 5)).toEqual([]);
    expect(around(grid, [{ key: 'a', values: fine, place: 990 }], 10, 50, 10, false)[0]?.points).toHaveLength(
      3,
    );
  });
});
