// @vitest-environment jsdom
import { describe, expect, it } from 'vitest';
import { escaped, SvgPen } from './pen';

const parsed = (pen: SvgPen, metadata = ''): Document =>
  new DOMParser().parseFromString(pen.document(100, 50, '#fff', 'A & B', metadata), 'image/svg+xml');

describe('a pen that writes SVG', () => {
  it('puts lines where a canvas would', () => {
    const pen = new SvgPen();
    pen.translate(10, 5);
    pen.beginPath();
    pen.moveTo(0, 0);
    pen.lineTo(3.14159, 2);
    pen.setLineDash([4, 2]);
    pen.strokeStyle = '#123456';
    pen.lineWidth = 2;
    pen.stroke();
    const path = parsed(pen).querySelector('path');
    expect(path?.getAttribute('d')).toBe('M10 5L13.14 7');
    expect(path?.getAttribute('stroke')).toBe('#123456');
    expect(path?.getAttribute('stroke-dasharray')).toBe('4 2');
  });

  it('comes back to what it was', () => {
    const pen = new SvgPen();
    pen.fillStyle = '#111';
    pen.save();
    pen.translate(50, 0);
    pen.fillStyle = '#222';
    pen.beginPath();
    pen.rect(0, 0, 5, 5);
    pen.clip();
    pen.fillRect(0, 0, 2, 2);
    pen.restore();
    pen.fillRect(1, 1, 2, 2);
    const found = parsed(pen);
    const rects = [...found.querySelectorAll('svg > rect, g > rect')].slice(1);
    expect(rects.map((rect) => [rect.getAttribute('x'), rect.getAttribute('fill')])).toEqual([
      ['50', '#222'],
      ['1', '#111'],
    ]);
    expect(found.querySelector('g')?.getAttribute('clip-path')).toBe('url(#c0)');
    expect(found.querySelector('g')?.children).toHaveLength(1);
  });

  it('joins columns of one colour', () => {
    const pen = new SvgPen();
    for (let x = 0; x < 40; x++) {
      pen.fillStyle = x < 30 ? '#aaa' : '#bbb';
      pen.fillRect(x, 4, 1, 9);
    }
    const rects = [...parsed(pen).querySelectorAll('svg > rect')].slice(1);
    expect(rects.map((rect) => rect.getAttribute('width'))).toEqual(['30', '10']);
  });

  it('writes no text that is not text', () => {
    const pen = new SvgPen();
    const hostile = '</text><script>alert(1)</script>\u0000\ud800 "quoted" & Jörg 🏁';
    pen.font = '600 12px "Instrument Sans Variable"';
    pen.textAlign = 'center';
    pen.fillText(hostile, 3, 4);
    const found = parsed(pen, '{"a": "<b>"}');
    expect(found.querySelector('parsererror')).toBeNull();
    expect(found.querySelector('script')).toBeNull();
    const text = found.querySelector('text');
    expect(text?.textContent).toBe('</text><script>alert(1)</script> "quoted" & Jörg 🏁');
    expect(text?.getAttribute('text-anchor')).toBe('middle');
    expect(text?.getAttribute('font-weight')).toBe('600');
    expect(found.querySelector('metadata')?.textContent).toBe('{"a": "<b>"}');
    expect(found.querySelector('title')?.textContent).toBe('A & B');
  });

  it('knows what no XML may hold', () => {
    expect(escaped('a\u0007b\udc00c')).toBe('abc');
  });
});
