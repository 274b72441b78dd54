import { describe, expect, it } from 'vitest';
import type { Ground } from '$lib/api/client';
import {
  cut,
  draftOf,
  handles,
  joined,
  moved,
  onLap,
  renumbered,
  snapped,
  tightest,
  typed,
  withCorner,
  without,
  withSplit,
  type Draft,
} from './draft';

const draft: Draft = {
  start_m: 0,
  start_turn_deg: 0,
  finish_m: null,
  corners: [
    { name: 'T1', entry_m: 100, apex_m: 130, exit_m: 160 },
    { name: 'T2', entry_m: 170, apex_m: 200, exit_m: 240 },
    { name: 'Seam', entry_m: 600, apex_m: 640, exit_m: 700 },
  ],
  borders: [60, 165, 560],
  splits: [{ name: '', m: 165 }],
  first_sector: '',
};
const curvature = Array.from({ length: 1001 }, (_, s) => (s === 130 || s === 205 ? 0.05 : 0.001));

describe('a drawing that is changed', () => {
  it('joins neighbouring corners, and the border between them goes', () => {
    const one = joined(draft, 'T1', 1000);
    expect(one.corners.map((c) => c.name)).toEqual(['T1', 'Seam']);
    expect(one.corners[0]).toMatchObject({ entry_m: 100, apex_m: 130, exit_m: 240 });
    expect(one.borders).toEqual([60, 560]);
    const round = joined(draft, 'Seam', 1000);
    expect(round.corners.map((c) => c.name)).toEqual(['T2', 'Seam']);
    expect(round.corners[1]?.exit_m).toBe(160);
    expect(round.borders).toEqual([165, 560]);
  });

  it('cuts a corner in two, each with its apex where it bends most', () => {
    const one = joined(draft, 'T1', 1000);
    const two = cut(one, 'T1', 165, curvature);
    expect(two.corners.map((c) => c.name)).toEqual(['T1a', 'T1b', 'Seam']);
    expect(two.corners[0]).toMatchObject({ apex_m: 130, exit_m: 165 });
    expect(two.corners[1]).toMatchObject({ entry_m: 165, apex_m: 205, exit_m: 240 });
    expect(cut(one, 'T1', 900, curvature)).toBe(one);
  });

  it('moves and removes what a handle stands for, also where a name holds a colon', () => {
    expect(moved(draft, 'split:0', 170).splits[0]?.m).toBe(170);
    expect(moved(draft, 'apex:T2', 210).corners[1]?.apex_m).toBe(210);
    const odd = { ...draft, corners: [{ name: 'a:b', entry_m: 1, apex_m: 5, exit_m: 9 }] };
    expect(moved(odd, 'exit:a:b', 12).corners[0]?.exit_m).toBe(12);
    expect(without(draft, 'border:1').borders).toEqual([60, 560]);
    expect(without(draft, 'entry:T1').corners).toHaveLength(2);
    expect(withSplit(draft, 90).splits.map((s) => s.m)).toEqual([90, 165]);
  });

  it('numbers corners from the line as it will be, and leaves words', () => {
    const names = renumbered({ ...draft, start_m: 165 }, 1000).corners.map((c) => c.name);
    expect(names).toEqual(['T3', 'T1', 'Seam']);
    expect(withCorner(draft, 400, 1000, curvature).corners.map((c) => c.name)).toContain('T4');
    expect(tightest([0, 0, 0, 0, 0], 0, 4)).toBe(2);
  });

  it('has a handle for each of its kind', () => {
    const ground = { closed: false, layout: { length_m: 1000 } } as Ground;
    expect(handles(draft, 'start', ground, []).map((h) => h.id)).toEqual(['start', 'finish']);
    expect(handles(draft, 'corners', ground, [])).toHaveLength(3);
    expect(handles(draft, 'corners', ground, [], 'exit:T2').map((h) => h.id)).toEqual([
      'apex:T1',
      'entry:T2',
      'apex:T2',
      'exit:T2',
      'apex:Seam',
    ]);
    expect(handles(draft, 'marks', ground, [{ id: 4, name: 'board', at_m: 9 }])[0]).toMatchObject({
      id: 'mark:4',
      place: 9,
    });
  });

  it('snaps to where braking begins before anything else, and to tens', () => {
    const ground = { zones: [{ from_m: 303, usual_m: 310, to_m: 360 }] };
    const all = { braking: true, tens: true };
    expect(snapped(305.4, 8, all, ground, [])).toBe(303);
    expect(snapped(326, 8, all, ground, [])).toBe(330);
    expect(snapped(326, 8, { braking: true, tens: false }, ground, [])).toBe(326);
    expect(snapped(305.4, 8, { braking: false, tens: false }, ground, [])).toBe(305.4);
  });

  it('wraps round a closed circuit and stops at the ends of an open one', () => {
    expect(onLap(-40, 1000, true)).toBe(960);
    expect(onLap(-40, 1000, false)).toBe(0);
  });

  it('begins as the version is', () => {
    const ground = {
      sector_set: 7,
      sets: [{ id: 7, name: 'Sectors', days: 1, first_sector: 'Bay', splits: [{ name: 'a', m: 5 }] }],
      layout: { corners: [], passages: [{ name: 'P1', corners: [], from_m: 3, to_m: 3 }] },
    } as unknown as Ground;
    expect(draftOf(ground)).toMatchObject({
      borders: [3],
      first_sector: 'Bay',
      splits: [{ name: 'a', m: 5 }],
    });
  });
});

describe('a place that is typed', () => {
  it.each([
    ['1042.3 m', 1042.3],
    ['1 042,3', 1042.3],
    ['1,042', 1042],
    ['−40', -40],
    ['-40 m', -40],
    ['100 ft', 30.48],
    ['+12', 12],
  ])('reads %s', (text, metres) => expect(typed(text, 1)).toBeCloseTo(metres, 6));
  it('takes the person’s unit where none is written', () =>
    expect(typed('100', 1 / 0.3048)).toBeCloseTo(30.48));
  it.each(['', 'x', '12 km', '1-2', 'm'])('refuses %s', (text) => expect(typed(text, 1)).toBeNull());
});
