import { describe, expect, it } from 'vitest';

import { pieces, say } from '$lib/quantities/said';

const part = (given: object) => ({ text: null, value: null, quantity: null, unit: true, ...given });
const brakes = [
  part({ text: 'Ines brakes ' }),
  part({ value: 15.24, quantity: 'distance' }),
  part({ text: ' earlier than Halvard: ' }),
  part({ value: 0.714, quantity: 'time' }),
  part({ text: ' (± ' }),
  part({ value: 0.04, quantity: 'time', unit: false }),
  part({ text: ') here.' }),
];

describe('a sentence of the core', () => {
  it('is set in the units of the reader', () => {
    expect(say(brakes, 'metric')).toBe(
      'Ines brakes 15\u00a0m earlier than Halvard: 0.71\u00a0s (± 0.04) here.',
    );
    expect(say(brakes, 'imperial')).toContain('brakes 50\u00a0ft earlier');
  });

  it('keeps figures apart from words, and names as they are', () => {
    const odd = [part({ text: '<b>& co</b> is level' }), part({ value: 3, quantity: 'nonsense' })];
    expect(pieces(odd, 'metric')).toEqual([
      { text: '<b>& co</b> is level', figure: false },
      { text: '3', figure: true },
    ]);
  });
});
