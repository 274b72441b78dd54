import { describe, expect, it } from 'vitest';
import { scaleOf } from '$lib/draw/scale';
import { ticks, trace } from '$lib/draw/trace';
import { figure, lapTime, signed, unitOf } from '$lib/quantities/units';
import { deltaOf, valueAt } from '$lib/desk/curves';
import { shortName } from '$lib/desk/corners';
import { alongPart } from '$lib/desk/curves';
import { readPlace, writePlace, type Place } from '$lib/desk/place';

describe('address of the desk', () => {
  it('comes back as it was written', () => {
    const place: Place = {
      laps: ['1-184', '2.5', 'median-d3e4', 'passages-desk'],
      reference: '1-184',
      run: null,
      event: null,
      chosen: '2.5',
      passage: null,
      stretch: [1200, 1840] as [number, number],
      zoom: [1000, 2000] as [number, number],
      cursor: 1300,
      staves: ['delta', 'gear\n~Aux *1'],
      version: 2,
      without: 'early_brake',
      until: 1400,
      hidden: ['2.5'],
      corner: 'Esses, 2 & 3 %',
      full: 0.0025,
      axis: 'time',
      banded: true,
      map: 'lines',
      coloured: 'speed',
      picture: 'against',
      of: '~Fußhebel, links',
      over: 'speed',
      upwards: true,
      folded: ['gear\n~Aux *1'],
    };
    expect(readPlace(new URLSearchParams(writePlace(place)))).toEqual(place);
  });

  it('leaves out what means nothing', () => {
    const place = readPlace(
      new URLSearchParams('laps=1.2,x,3;4&ref=<b>&passage=P1)&stretch=a-b&at=-3&lap=9'),
    );
    expect(place.laps).toEqual(['1.2']);
    expect([place.reference, place.passage, place.stretch, place.cursor, place.chosen]).toEqual([
      null,
      null,
      null,
      null,
      null,
    ]);
  });
});

describe('curves', () => {
  const s = Float64Array.from([0, 1, 2, 3, 3.5]);
  it('reads between grid points, also in the short last step', () => {
    const v = Float64Array.from([0, 10, 20, 30, 40]);
    expect(valueAt(s, v, 1.5)).toBe(15);
    expect(valueAt(s, v, 3.25)).toBe(35);
    expect(valueAt(s, v, 99)).toBe(40);
  });

  it('restarts the delta where it is told to', () => {
    const lap = Float64Array.from([0, 1.5, 3, 4.5, 5]);
    const reference = Float64Array.from([0, 1, 2, 3, 3.5]);
    expect([...deltaOf(s, lap, reference, 0)]).toEqual([0, 0.5, 1, 1.5, 1.5]);
    expect([...deltaOf(s, lap, reference, 2)]).toEqual([-1, -0.5, 0, 0.5, 0.5]);
  });
});

describe('tracing', () => {
  it('keeps single peaks when many samples share a pixel', () => {
    const count = 5000;
    const s = Float64Array.from({ length: count }, (_, i) => i);
    const values = new Float32Array(count);
    values[2503] = 9;
    values[2504] = -7;
    const seen: number[] = [];
    let points = 0;
    const note = (_x: number, y: number) => {
      points++;
      seen.push(y);
    };
    trace(
      { moveTo: note, lineTo: note } as unknown as CanvasRenderingContext2D,
      s,
      values,
      scaleOf([0, count], 600),
      (v) => v,
    );
    expect(Math.max(...seen)).toBe(9);
    expect(Math.min(...seen)).toBe(-7);
    expect(points).toBeLessThanOrEqual(4 * 601);
  });

  it('breaks the line where a value is missing', () => {
    let moves = 0;
    trace(
      { moveTo: () => moves++, lineTo: () => undefined } as unknown as CanvasRenderingContext2D,
      [0, 1, 2, 3],
      [1, NaN, 1, 1],
      scaleOf([0, 3], 300),
      (v) => v,
    );
    expect(moves).toBe(2);
  });

  it('chooses round steps', () => {
    expect(ticks(0, 220, 5)).toEqual([0, 50, 100, 150, 200]);
    expect(ticks(-0.9, 1.7, 3)).toEqual([0, 1]);
    expect(ticks(5, 5, 3)).toEqual([5]);
  });
});

describe('figures', () => {
  it('are written in the wanted units with a real minus', () => {
    expect(figure(10, unitOf('speed', 'metric'))).toBe('36');
    expect(figure(44.704, unitOf('speed', 'imperial'))).toBe('100');
    expect(figure(null, unitOf('speed', 'metric'))).toBe('–');
    expect(signed(-5.2, unitOf('distance', 'metric'))).toBe('−5');
    expect(signed(-0.2, unitOf('distance', 'metric'))).toBe('0');
    expect(signed(0.304, unitOf('time', 'metric'))).toBe('+0.30');
  });

  it('writes lap times, also where they round up to a minute', () => {
    expect(lapTime(114.219)).toBe('1:54.22');
    expect(lapTime(59.999)).toBe('1:00.00');
    expect(lapTime(37.01)).toBe('37.01');
    expect(lapTime(null)).toBe('–');
  });
});

describe('a part of the circuit on the grid', () => {
  it('is nothing outside of it, and runs on across the line', () => {
    const s = Float64Array.from({ length: 11 }, (_, i) => i * 10);
    const found = [...alongPart(s, [80, 100, 5, 25], [8, 10, 0.5, 2.5])];
    expect(found.map((value) => (Number.isNaN(value) ? null : Number(value.toFixed(2))))).toEqual([
      null, 1, 2, null, null, null, null, null, 8, 9, 10,
    ]); // prettier-ignore
  });
});

describe('a corner on a bar', () => {
  it('is its number, or its whole name', () => {
    expect(['T4', 'T12', 'The esses', 'Tower', 'T', '5'].map(shortName)).toEqual(
      ['4', '12', 'The esses', 'Tower', 'T', '5'],
    ); // prettier-ignore
  });
});
