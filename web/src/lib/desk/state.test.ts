import { describe, expect, it } from 'vitest';
import type { DeskLap, DeskLineUp } from '$lib/api/client';
import type { Curves } from './curves';
import { Desk } from './desk.svelte';
import { readPlace, writePlace } from './place';

const lap = (key: string, curves: string) => ({ key, curves, run: 1, number: 2 }) as DeskLap;
const lineUp = {
  reference: '1-100',
  laps: [lap('1-100', '7.2'), lap('2-300', '9.4')],
  layout: {
    length_m: 1000,
    corners: [{ name: 'T1', apex_m: 150 }],
    passages: [
      { name: 'P1', corners: ['T1'], from_m: 100, to_m: 600 },
      { name: 'P2', corners: [], from_m: 600, to_m: 100 },
    ],
  },
} as unknown as DeskLineUp;

function laid(query = ''): Desk {
  const desk = new Desk();
  desk.lay(lineUp, readPlace(new URLSearchParams(query)));
  return desk;
}

describe('the desk', () => {
  it('asks for the card of a stretch once it rests', () => {
    const desk = laid();
    expect(desk.settled).toBeNull();
    for (const to of [300, 400, 500]) desk.drag(200, to);
    expect(desk.part).toMatchObject({ from: 200, to: 500 });
    expect(desk.settled).toBeNull();
    desk.rest();
    expect(desk.settled).toMatchObject({ from: 200, to: 500, passage: null });
    desk.drag(500, 502);
    desk.rest(); // too short to be one
    expect([desk.part, desk.settled]).toEqual([null, null]);
  });

  it('goes from passage to passage, also over the line', () => {
    const desk = laid();
    desk.step(1);
    expect(desk.settled).toMatchObject({ passage: 'P1' });
    desk.step(1);
    expect(desk.part).toMatchObject({ passage: 'P2', from: 600, to: 100 });
    desk.step(1);
    expect(desk.part?.passage).toBe('P1');
    desk.out();
    expect([desk.part, desk.settled]).toEqual([null, null]);
  });

  it('reads curves by the analysis of each lap', () => {
    const desk = laid();
    const asked: string[] = [];
    desk.curves = {
      s: new Float64Array(2),
      of: (name: string, role: string) => {
        asked.push(`${name}|${role}`);
        return new Float32Array(2);
      },
      has: () => true,
    } as unknown as Curves;
    desk.curve('2-300', 'speed');
    expect(asked.at(-1)).toBe('9.4|speed');
    expect(desk.curve('nobody', 'speed')).toBeUndefined();
  });

  it('has an address, with channels of any name', () => {
    const desk = laid('lap=2-300&stretch=200-300&at=250');
    desk.staves = ['delta', '~Aux, 1 & 2 %'];
    const again = readPlace(new URLSearchParams(writePlace(desk.place())));
    expect(again).toMatchObject({
      laps: ['1-100', '2-300'],
      chosen: '2-300',
      stretch: [200, 300],
      cursor: 250,
      staves: ['delta', '~Aux, 1 & 2 %'],
    });
  });

  it('opens addresses of an older version, with laps by number', () => {
    expect(readPlace(new URLSearchParams('laps=1.2,2.5&ref=1.2')).laps).toEqual(['1.2', '2.5']);
  });
});

describe('laps on the desk', () => {
  it('are hidden, shown alone and shown again, the reference always', () => {
    const desk = laid();
    desk.hide('1-100'); // the reference
    expect(desk.hidden).toEqual([]);
    desk.hide('2-300');
    expect(desk.shown.map((item) => item.key)).toEqual(['1-100']);
    desk.hide('2-300');
    expect(desk.shown).toHaveLength(2);
    desk.alone('1-100');
    expect(desk.hidden).toEqual(['2-300']);
    desk.alone('1-100');
    expect(desk.hidden).toEqual([]);
  });

  it('keep the order of the address when newer numbers come', () => {
    const desk = laid('laps=2-300,1-100');
    expect(desk.laps.map((item) => item.key)).toEqual(['2-300', '1-100']);
    desk.lay(lineUp, desk.place());
    expect(desk.laps.map((item) => item.key)).toEqual(['2-300', '1-100']);
  });

  it('walk by what is chosen: a cursor that moves is no step, a stretch that rests is one', () => {
    const desk = laid();
    const before = desk.selection();
    desk.moveCursor(50);
    desk.measure();
    desk.drag(200, 400);
    expect(desk.selection()).toBe(before);
    desk.rest();
    expect(desk.selection()).not.toBe(before);
  });

  it('let staves go up and down', () => {
    const desk = laid();
    desk.moveStave('speed', -1);
    expect(desk.staves[0]).toBe('speed');
    desk.moveStave('speed', -1);
    expect(desk.staves[0]).toBe('speed');
  });
});
