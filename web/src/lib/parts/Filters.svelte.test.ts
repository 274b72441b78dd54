// @vitest-environment jsdom
import { render, screen } from '@testing-library/svelte';
import { describe, expect, it, vi } from 'vitest';
import Filters from './Filters.svelte';

const { goto } = vi.hoisted(() => ({ goto: vi.fn() }));
vi.mock('$app/navigation', () => ({ goto }));
vi.mock('$app/state', () => ({ page: { url: new URL('http://x/paddock?driver=2') } }));

const filters = [
  {
    name: 'driver',
    label: 'Driver',
    usual: '',
    choices: [
      ['', 'any'],
      ['1', 'A'],
      ['2', '<b>B</b>'],
    ],
  },
] as { name: string; label: string; usual: string; choices: [string, string][] }[];

describe('filters', () => {
  it('show what the address says, as text', () => {
    render(Filters, { filters });
    const select = screen.getByLabelText<HTMLSelectElement>('Driver');
    expect(select.value).toBe('2');
    expect(screen.getByRole('option', { name: '<b>B</b>' })).toBeTruthy();
  });

  it('change the address, and leave out what is usual', () => {
    render(Filters, { filters });
    const select = screen.getByLabelText<HTMLSelectElement>('Driver');
    select.value = '';
    select.dispatchEvent(new Event('change', { bubbles: true }));
    expect(goto).toHaveBeenCalled();
    expect(String(goto.mock.calls[0]?.[0])).not.toContain('driver=');
  });
});
