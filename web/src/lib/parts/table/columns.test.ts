import { describe, expect, it } from 'vitest';
import { asText, compare, matches, numberIn, readView, writeView } from '$lib/parts/table/columns';

describe('a table', () => {
  it('reads figures as people write them', () => {
    expect(numberIn('1:54.22')).toBeCloseTo(114.22);
    expect(numberIn('1:02:03.5')).toBeCloseTo(3723.5);
    expect(numberIn('−3.5 %')).toBe(-3.5);
    expect(numberIn('1,042.5')).toBe(1042.5);
    expect(numberIn('3,5')).toBe(3.5);
    expect(numberIn('–')).toBeNull();
  });

  it('finds text, limits and ranges', () => {
    expect(matches('Inès', 'in', false)).toBe(true);
    expect(matches('1:54.22', '<1:55', true)).toBe(true);
    expect(matches('1:55.00', '<1:55', true)).toBe(false);
    expect(matches('1:55.00', '<=1:55', true)).toBe(true);
    expect(matches('90', '80 to 95', true)).toBe(true);
    expect(matches('99', '80..95', true)).toBe(false);
    expect(matches('–', '>3', true)).toBe(false);
    expect(matches('anything', '  ', true)).toBe(true);
  });

  it('puts what is missing last, whichever way it sorts', () => {
    for (const down of [false, true]) {
      const sorted = [3, null, 1, 2].sort((a, b) => compare(a, b, down));
      expect(sorted.at(-1)).toBeNull();
      expect(sorted[0]).toBe(down ? 3 : 1);
    }
    expect(['lap 10', 'lap 9'].sort((a, b) => compare(a, b, false))).toEqual(['lap 9', 'lap 10']);
  });

  it('keeps its view in the address', () => {
    const view = { sort: '-time', find: { driver: 'Ines; or: not', car: '' } };
    expect(readView(writeView(view), ['time', 'driver'])).toEqual({
      sort: '-time',
      find: { driver: 'Ines; or: not' },
    });
    expect(writeView({ sort: null, find: {} })).toBe('');
    expect(readView('nonsense;a:%E0%A4%A', ['time'])).toEqual({ sort: null, find: {} });
  });

  it('copies without formulas', () => {
    const columns = [
      { id: 'a', header: 'driver', value: (row: string) => row, text: (row: string) => row },
      { id: 'b', header: 'gap', unit: 's', value: () => -0.5, text: () => '−0.50' },
    ];
    expect(asText(columns, ['=1+1', 'Ines\tB'])).toBe("driver\tgap [s]\n'=1+1\t-0.50\nInes B\t-0.50");
  });
});
