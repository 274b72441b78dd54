// Paints a part of the page, as it stands, with a pen: texts, boxes, drawings. What is a tool, not content, is marked
// `data-apart` and left out.
import { drawingOf } from '$lib/draw/taken/drawings';
import { SvgPen, type Ink } from '$lib/draw/taken/pen';

type Pen = Ink | SvgPen;

interface Frame {
  x: number;
  y: number;
}
type Rect = { left: number; top: number; right: number; bottom: number };

const APART =
  '[data-apart], select, input, textarea, script, style, details:not([open]) > :not(summary), .lucide, [hidden]';
const clear = (colour: string): boolean => colour === 'transparent' || /,\s*0\)$|\/\s*0\)$/.test(colour);

/** Paints an element and all in it; its upper left corner comes to the pen's. */
export function paint(pen: Pen, root: HTMLElement): void {
  const { left, top } = root.getBoundingClientRect();
  element(pen, root, { x: left, y: top }, null);
}

function element(pen: Pen, own: Element, from: Frame, clip: Rect | null): void {
  if (own.matches(APART)) return;
  const style = getComputedStyle(own);
  if (style.display === 'none' || style.visibility === 'hidden' || style.opacity === '0') return;
  const box = own.getBoundingClientRect();
  if (own instanceof HTMLCanvasElement) return canvas(pen, own, box, from, clip);
  if (own instanceof SVGSVGElement) return drawing(pen, own, from);
  if (box.width && box.height) background(pen, style, box, from, clip);
  const cut = style.overflowX === 'hidden' || style.overflowX === 'clip' ? meet(box, clip) : clip;
  for (const child of own.childNodes)
    if (child instanceof Element) element(pen, child, from, cut);
    else if (child instanceof Text) text(pen, child, style, from, cut);
}

function meet(box: Rect, clip: Rect | null): Rect {
  if (!clip) return { left: box.left, top: box.top, right: box.right, bottom: box.bottom };
  return {
    left: Math.max(box.left, clip.left),
    top: Math.max(box.top, clip.top),
    right: Math.min(box.right, clip.right),
    bottom: Math.min(box.bottom, clip.bottom),
  };
}

function background(
  pen: Pen,
  style: CSSStyleDeclaration,
  box: DOMRect,
  from: Frame,
  clip: Rect | null,
): void {
  const seen = meet(box, clip);
  const [x, y, w, h] = [
    seen.left - from.x,
    seen.top - from.y,
    seen.right - seen.left,
    seen.bottom - seen.top,
  ];
  if (w <= 0 || h <= 0) return;
  if (!clear(style.backgroundColor)) {
    pen.fillStyle = style.backgroundColor;
    pen.fillRect(x, y, w, h);
  }
  if (style.backgroundImage.startsWith('linear-gradient(to right'))
    ramp(pen, style.backgroundImage, x, y, w, h);
  const sides = [
    ['Top', x, y, w, 0],
    ['Bottom', x, y + h, w, 0],
    ['Left', x, y, 0, h],
    ['Right', x + w, y, 0, h],
  ] as const;
  for (const [side, sx, sy, sw, sh] of sides) {
    const wide = parseFloat(style[`border${side}Width`]);
    const colour = style[`border${side}Color`];
    if (!wide || style[`border${side}Style`] === 'none' || clear(colour)) continue;
    pen.fillStyle = colour;
    const inward = side === 'Bottom' || side === 'Right' ? -wide : 0;
    pen.fillRect(sx + (sw ? 0 : inward), sy + (sh ? 0 : inward), sw || wide, sh || wide);
  }
}

/** A ramp of colours, in as many steps as it has pixels: our pens know no gradients. */
function ramp(pen: Pen, image: string, x: number, y: number, w: number, h: number): void {
  const stops = [...image.matchAll(/(?:rgb|oklab|color|oklch|lab)a?\([^)]*\)/g)].map(([colour]) => colour);
  if (stops.length < 2) return;
  for (let i = 0; i < w; i++) {
    const at = (i / Math.max(1, w - 1)) * (stops.length - 1);
    const first = Math.min(Math.floor(at), stops.length - 2);
    pen.fillStyle = stops[first] ?? '';
    const share = at - first;
    pen.fillRect(x + i, y, 1, h);
    pen.globalAlpha = share;
    pen.fillStyle = stops[first + 1] ?? '';
    pen.fillRect(x + i, y, 1, h);
    pen.globalAlpha = 1;
  }
}

function canvas(pen: Pen, own: HTMLCanvasElement, box: DOMRect, from: Frame, clip: Rect | null): void {
  const found = drawingOf(own);
  if (!found) return;
  const seen = meet(box, clip);
  pen.save();
  pen.beginPath();
  pen.rect(seen.left - from.x, seen.top - from.y, seen.right - seen.left, seen.bottom - seen.top);
  pen.clip();
  pen.translate(box.left - from.x, box.top - from.y);
  found.draw(pen as Ink, found.width, found.height);
  pen.restore();
}

/** Shapes of a small drawing of ours: signs and dots. */
function drawing(pen: Pen, own: SVGSVGElement, from: Frame): void {
  const box = own.getBoundingClientRect();
  for (const each of own.querySelectorAll('path, circle, line, rect, polyline')) {
    const style = getComputedStyle(each);
    if (style.display === 'none') continue;
    const d = outline(each as SVGGraphicsElement);
    const paint = { fill: style.fill, stroke: style.stroke, width: parseFloat(style.strokeWidth), dash: style.strokeDasharray.replaceAll('px', ''), opacity: parseFloat(style.opacity) }; // prettier-ignore
    const scale = own.viewBox.baseVal?.width ? box.width / own.viewBox.baseVal.width : 1;
    if (!d || scale <= 0) continue;
    pen.save();
    pen.translate(box.left - from.x, box.top - from.y);
    if (pen instanceof SvgPen) pen.shape(d, paint);
    else {
      const path = new Path2D(d);
      pen.globalAlpha = paint.opacity;
      if (paint.fill !== 'none') {
        pen.fillStyle = paint.fill;
        pen.fill(path);
      }
      if (paint.stroke !== 'none') {
        pen.strokeStyle = paint.stroke;
        pen.lineWidth = paint.width;
        pen.setLineDash(paint.dash === 'none' ? [] : paint.dash.split(/[ ,]+/).map(Number));
        pen.stroke(path);
      }
    }
    pen.restore();
  }
}

function outline(own: SVGGraphicsElement): string {
  const at = (name: string): number => Number(own.getAttribute(name) ?? 0);
  if (own instanceof SVGPathElement) return own.getAttribute('d') ?? '';
  if (own instanceof SVGCircleElement) {
    const [x, y, r] = [at('cx'), at('cy'), at('r')];
    return `M${x + r} ${y}a${r} ${r} 0 1 1 ${-2 * r} 0a${r} ${r} 0 1 1 ${2 * r} 0Z`;
  }
  if (own instanceof SVGLineElement) return `M${at('x1')} ${at('y1')}L${at('x2')} ${at('y2')}`;
  if (own instanceof SVGRectElement)
    return `M${at('x')} ${at('y')}h${at('width')}v${at('height')}h${-at('width')}Z`;
  return `M${own.getAttribute('points') ?? ''}`;
}

const measuring = typeof document === 'undefined' ? null : document.createElement('canvas').getContext('2d');

/** A text, line by line as the page broke it. */
function text(pen: Pen, own: Text, style: CSSStyleDeclaration, from: Frame, clip: Rect | null): void {
  if (!own.data.trim()) return;
  const range = document.createRange();
  const lines: { said: string; box: DOMRect }[] = [];
  for (const word of own.data.matchAll(/\S+/g)) {
    range.setStart(own, word.index);
    range.setEnd(own, word.index + word[0].length);
    const box = range.getBoundingClientRect();
    if (!box.width) continue;
    const last = lines.at(-1);
    if (last && Math.abs(last.box.top - box.top) < 2) {
      last.said += ` ${word[0]}`;
      last.box = new DOMRect(last.box.x, last.box.y, box.right - last.box.x, last.box.height);
    } else lines.push({ said: word[0], box });
  }
  const font = `${style.fontWeight} ${style.fontSize} ${style.fontFamily}`;
  for (const { said, box } of lines) {
    if (clip && (box.left >= clip.right - 1 || box.right <= clip.left + 1 || box.bottom <= clip.top || box.top >= clip.bottom)) continue; // prettier-ignore
    const cut = clip !== null && (box.right > clip.right + 1 || box.left < clip.left - 1);
    if (cut) {
      pen.save();
      pen.beginPath();
      pen.rect(clip.left - from.x, clip.top - from.y, clip.right - clip.left, clip.bottom - clip.top);
      pen.clip();
    }
    pen.font = font;
    pen.fontStretch = stretchOf(style.fontStretch) as CanvasFontStretch;
    pen.fillStyle = style.color;
    pen.textAlign = 'left';
    pen.textBaseline = 'alphabetic';
    pen.fillText(said, box.left - from.x, box.top - from.y + risen(font, box.height));
    if (cut) pen.restore();
  }
}

/** From the top of a line's box to its base line. */
function risen(font: string, height: number): number {
  if (!measuring) return height * 0.8;
  measuring.font = font;
  const { fontBoundingBoxAscent: up, fontBoundingBoxDescent: down } = measuring.measureText('x');
  return (height * up) / (up + down || 1);
}

/** A canvas knows widths of a font by nine names only. */
function stretchOf(share: string): string {
  const names: [number, string][] = [[50, 'ultra-condensed'], [62.5, 'extra-condensed'], [75, 'condensed'], [87.5, 'semi-condensed'], [100, 'normal'], [112.5, 'semi-expanded'], [125, 'expanded']]; // prettier-ignore
  const wanted = parseFloat(share);
  if (!Number.isFinite(wanted)) return share;
  return names.reduce((best, one) =>
    Math.abs(one[0] - wanted) < Math.abs(best[0] - wanted) ? one : best,
  )[1];
}
