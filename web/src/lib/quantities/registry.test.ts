import { describe, expect, it, vi } from 'vitest';
import { registry } from './registry.svelte';

const { channels } = vi.hoisted(() => ({
  channels: [
    { code: 'delta', label: 'delta', quantity: 'time', drawn: 'signed', told: 'last' },
    { code: 'speed', label: 'speed', quantity: 'speed', drawn: 'free', told: 'low' },
    { code: 'gear', label: 'gear', quantity: 'plain', drawn: 'steps', told: 'low' },
    { code: 'made_up', label: 'made up', quantity: 'never heard of', drawn: 'zero', told: 'mean' },
  ],
}));
vi.mock('$lib/api/client', () => ({
  api: { GET: () => Promise.resolve({ channels, figures: [] }) },
  done: (answer: Promise<unknown>) => answer,
  onBuild: () => undefined,
  keepToken: () => undefined,
}));

describe('the registry of channels', () => {
  it('tells label, unit and drawing of what the server names', async () => {
    await registry.load();
    expect(registry.codes).toEqual(['delta', 'speed', 'gear', 'made_up']);
    expect(registry.label('speed')).toBe('Speed');
    expect(registry.unit('speed').label).toBe('km/h');
    expect(['delta', 'speed', 'made_up'].map((code) => registry.fromZero(code))).toEqual([true, false, true]);
    expect([registry.stepped('gear'), registry.stepped('speed')]).toEqual([true, false]);
    // A quantity that this front end does not know is shown as it is.
    expect(registry.unit('made_up').label).toBe('');
  });

  it('shows a channel without a role under its own name, in its own unit', () => {
    registry.note([{ code: '~Aux, 1', unit: 'kPa' }]);
    expect(registry.label('~Aux, 1')).toBe('Aux, 1');
    expect(registry.unit('~Aux, 1')).toMatchObject({ label: 'kPa', factor: 1, offset: 0 });
    expect(registry.fromZero('~Aux, 1')).toBe(false);
  });
});
