import { describe, expect, it } from 'vitest';
import type { HandIn, HandInList } from '$lib/api/client';
import { merge } from './merge';

const file = (id: number, state: HandIn['state']): HandIn => ({ id, state }) as HandIn;
const list = (hand_ins: HandIn[], more: Partial<HandInList> = {}): HandInList =>
  ({ hand_ins, gone: [], as_of: '1', more: false, hidden: 0, choices: null, ...more }) as HandInList;

describe('a second look at the list', () => {
  const known = list([file(3, 'running'), file(2, 'taken'), file(1, 'refused')], {
    choices: { drivers: [] } as unknown as HandInList['choices'],
    more: true,
  });

  it('changes what changed and leaves the rest', () => {
    const after = merge(known, list([file(4, 'waiting'), file(3, 'taken')], { as_of: '2', hidden: 5 }));
    expect(after.hand_ins.map((item) => [item.id, item.state])).toEqual([
      [4, 'waiting'],
      [3, 'taken'],
      [2, 'taken'],
      [1, 'refused'],
    ]);
    expect([after.as_of, after.hidden, after.more]).toEqual(['2', 5, true]);
    expect(after.choices).toBe(known.choices);
  });

  it('takes away what is gone', () => {
    expect(merge(known, list([], { gone: [2] })).hand_ins.map((item) => item.id)).toEqual([3, 1]);
  });
});
