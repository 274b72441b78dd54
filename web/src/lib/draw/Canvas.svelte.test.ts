// @vitest-environment jsdom
import { render, screen } from '@testing-library/svelte';
import { tick } from 'svelte';
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest';
import Canvas from './Canvas.svelte';

const context = { setTransform: vi.fn(), clearRect: vi.fn() };
const frame = () => new Promise<void>((done) => requestAnimationFrame(() => done()));

beforeEach(() => {
  vi.spyOn(HTMLCanvasElement.prototype, 'getContext').mockReturnValue(context as never);
});
afterEach(() => vi.restoreAllMocks());

describe('a canvas', () => {
  it('draws again when what it reads changes, once a frame at most', async () => {
    const place = $state({ x: 0 });
    const seen: number[] = [];
    render(Canvas, { width: 100, height: 20, draw: () => seen.push(place.x) });
    await tick();
    expect(seen).toEqual([0]);
    for (place.x = 1; place.x < 9; place.x++) await tick();
    expect(seen).toEqual([0]);
    await frame();
    await tick();
    await frame();
    expect(seen).toEqual([0, 9]);
  });

  it('keeps to itself what its drawing throws, says so, and recovers', async () => {
    const quiet = vi.spyOn(console, 'error').mockImplementation(() => undefined);
    const state = $state({ broken: true });
    render(Canvas, {
      width: 100,
      height: 20,
      draw: () => {
        if (state.broken) throw new Error('no such curve');
      },
    });
    await tick();
    expect(screen.getByRole('alert').textContent).toContain('could not be drawn');
    expect(quiet).toHaveBeenCalledTimes(1);
    await frame();
    state.broken = false;
    await tick();
    await frame();
    await tick();
    expect(screen.queryByRole('alert')).toBeNull();
  });

  it('draws nothing without room', async () => {
    const draw = vi.fn();
    render(Canvas, { width: 0, height: 20, draw });
    await tick();
    expect(draw).not.toHaveBeenCalled();
  });
});
