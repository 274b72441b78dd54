import { describe, expect, it, vi } from 'vitest';
import { Gestures, type Surface } from './gestures';

function surface() {
  return {
    placeAt: (x: number) => 10 * x,
    metres: () => 10,
    cursor: vi.fn(),
    mark: vi.fn(),
    rest: vi.fn(),
    pan: vi.fn(),
    zoom: vi.fn(),
  } satisfies Surface;
}

const at = (clientX: number, more: object = {}) =>
  ({ clientX, button: 0, shiftKey: false, currentTarget: {}, ...more }) as unknown as PointerEvent;

describe('gestures on the score', () => {
  it('a hover moves the cursor', () => {
    const s = surface();
    new Gestures(s).move(at(7));
    expect(s.cursor).toHaveBeenCalledWith(70);
    expect(s.mark).not.toHaveBeenCalled();
  });

  it('a drag marks a stretch and says when it rests', () => {
    const s = surface();
    const g = new Gestures(s);
    g.down(at(10));
    g.move(at(12));
    expect(s.mark).not.toHaveBeenCalled(); // a hand that only clicks moves by as much
    for (const x of [20, 30, 40]) g.move(at(x));
    expect(s.mark).toHaveBeenLastCalledWith(100, 400);
    expect(s.rest).not.toHaveBeenCalled();
    g.up(at(40));
    expect(s.rest).toHaveBeenCalledTimes(1);
  });

  it('a click sets the cursor and marks nothing', () => {
    const s = surface();
    const g = new Gestures(s);
    g.down(at(10));
    g.up(at(11));
    expect(s.cursor).toHaveBeenLastCalledWith(110);
    expect(s.mark).not.toHaveBeenCalled();
    expect(s.rest).not.toHaveBeenCalled();
  });

  it('shift and drag pans, and the other button does nothing', () => {
    const s = surface();
    const g = new Gestures(s);
    g.down(at(10, { button: 2 }));
    g.move(at(30));
    expect(s.mark).not.toHaveBeenCalled();
    g.down(at(10, { shiftKey: true }));
    expect(g.panning).toBe(true);
    g.move(at(15));
    g.move(at(25));
    expect(s.pan.mock.calls).toEqual([[-50], [-100]]);
    g.up(at(25));
    expect(g.panning).toBe(false);
    expect(s.rest).not.toHaveBeenCalled();
  });

  it('a gesture that the system takes away leaves a stretch at rest', () => {
    const s = surface();
    const g = new Gestures(s);
    g.down(at(10));
    g.move(at(40));
    g.cancel();
    expect(s.rest).toHaveBeenCalledTimes(1);
    g.move(at(50));
    expect(s.mark).toHaveBeenCalledTimes(1);
  });

  it('zooms with Ctrl alone', () => {
    const s = surface();
    const wheel = (ctrlKey: boolean) => ({ ctrlKey, clientX: 5, deltaY: -100, preventDefault: vi.fn() });
    const [plain, ctrl] = [wheel(false), wheel(true)];
    const g = new Gestures(s);
    g.wheel(plain as unknown as WheelEvent);
    expect(plain.preventDefault).not.toHaveBeenCalled();
    g.wheel(ctrl as unknown as WheelEvent);
    expect(ctrl.preventDefault).toHaveBeenCalled();
    expect(s.zoom).toHaveBeenCalledTimes(1);
    expect(s.zoom.mock.calls[0]?.[0]).toBe(50);
    expect(s.zoom.mock.calls[0]?.[1]).toBeLessThan(1);
  });
});
