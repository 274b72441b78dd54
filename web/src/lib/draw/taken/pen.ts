// A canvas that writes SVG: what our drawings call of a drawing context, and nothing else.

/** What is asked of a context besides its own properties: both the real one and ours have it. */
export type Ink = CanvasRenderingContext2D;

interface State {
  fillStyle: string;
  strokeStyle: string;
  lineWidth: number;
  lineCap: string;
  lineJoin: string;
  globalAlpha: number;
  font: string;
  fontStretch: string;
  textAlign: string;
  textBaseline: string;
  dash: number[];
  shift: [number, number];
  clips: number;
}

const START: State = {
  fillStyle: '#000',
  strokeStyle: '#000',
  lineWidth: 1,
  lineCap: 'butt',
  lineJoin: 'miter',
  globalAlpha: 1,
  font: '10px sans-serif',
  fontStretch: 'normal',
  textAlign: 'start',
  textBaseline: 'alphabetic',
  dash: [],
  shift: [0, 0],
  clips: 0,
};
const ANCHORS: Record<string, string> = {
  left: 'start',
  start: 'start',
  center: 'middle',
  right: 'end',
  end: 'end',
};
const BASELINES: Record<string, string> = {
  middle: 'central',
  top: 'hanging',
  alphabetic: 'auto',
  bottom: 'text-after-edge',
};

const n = (value: number): string => String(Math.round(value * 100) / 100);

// Signs that no XML may hold: control characters, and halves of pairs without the other half.
const NO_XML =
  // eslint-disable-next-line no-control-regex
  /[\u0000-\u0008\u000b\u000c\u000e-\u001f\ufffe\uffff]|[\ud800-\udbff](?![\udc00-\udfff])|(?<![\ud800-\udbff])[\udc00-\udfff]/g;

/** Text that is safe inside an element or an attribute. */
export const escaped = (text: string): string =>
  text
    .replace(NO_XML, '')
    .replaceAll('&', '&amp;')
    .replaceAll('<', '&lt;')
    .replaceAll('>', '&gt;')
    .replaceAll('"', '&quot;');

interface Box {
  x: number;
  y: number;
  w: number;
  h: number;
  fill: string;
}

export class SvgPen {
  private out: string[] = [];
  private defs: string[] = [];
  private path: string[] = [];
  private state: State = { ...START };
  private stack: State[] = [];
  /** a rectangle that the next one may join */
  private box: Box | null = null;

  fillStyle = START.fillStyle;
  strokeStyle = START.strokeStyle;
  lineWidth = START.lineWidth;
  lineCap = START.lineCap;
  lineJoin = START.lineJoin;
  globalAlpha = START.globalAlpha;
  font = START.font;
  fontStretch = START.fontStretch;
  textAlign = START.textAlign;
  textBaseline = START.textBaseline;

  private keep(): State {
    const { fillStyle, strokeStyle, lineWidth, lineCap, lineJoin, globalAlpha, font, fontStretch, textAlign, textBaseline } = this; // prettier-ignore
    return { ...this.state, fillStyle, strokeStyle, lineWidth, lineCap, lineJoin, globalAlpha, font, fontStretch, textAlign, textBaseline }; // prettier-ignore
  }

  save(): void {
    this.stack.push(this.keep());
    this.state = { ...this.keep(), clips: 0 };
  }

  restore(): void {
    this.flush();
    for (let i = 0; i < this.state.clips; i++) this.out.push('</g>');
    const before = this.stack.pop() ?? { ...START };
    this.state = before;
    const { fillStyle, strokeStyle, lineWidth, lineCap, lineJoin, globalAlpha, font, fontStretch, textAlign, textBaseline } = before; // prettier-ignore
    Object.assign(this, { fillStyle, strokeStyle, lineWidth, lineCap, lineJoin, globalAlpha, font, fontStretch, textAlign, textBaseline }); // prettier-ignore
  }

  translate(x: number, y: number): void {
    this.state.shift = [this.state.shift[0] + x, this.state.shift[1] + y];
  }

  setLineDash(dash: number[]): void {
    this.state.dash = [...dash];
  }

  private at(x: number, y: number): string {
    return `${n(x + this.state.shift[0])} ${n(y + this.state.shift[1])}`;
  }

  beginPath(): void {
    this.path = [];
  }
  moveTo(x: number, y: number): void {
    this.path.push(`M${this.at(x, y)}`);
  }
  lineTo(x: number, y: number): void {
    // A path without a beginning begins where it first goes, as on a canvas.
    this.path.push(`${this.path.length ? 'L' : 'M'}${this.at(x, y)}`);
  }
  closePath(): void {
    this.path.push('Z');
  }
  rect(x: number, y: number, w: number, h: number): void {
    this.path.push(`M${this.at(x, y)}h${n(w)}v${n(h)}h${n(-w)}Z`);
  }
  arc(x: number, y: number, r: number, from: number, to: number): void {
    if (Math.abs(to - from) >= 2 * Math.PI - 1e-6) {
      this.path.push(
        `M${this.at(x + r, y)}a${n(r)} ${n(r)} 0 1 1 ${n(-2 * r)} 0a${n(r)} ${n(r)} 0 1 1 ${n(2 * r)} 0Z`,
      );
      return;
    }
    const end = this.at(x + r * Math.cos(to), y + r * Math.sin(to));
    const begin = this.at(x + r * Math.cos(from), y + r * Math.sin(from));
    this.path.push(
      `${this.path.length ? 'L' : 'M'}${begin}A${n(r)} ${n(r)} 0 ${to - from > Math.PI ? 1 : 0} 1 ${end}`,
    );
  }

  private put(attributes: string): void {
    this.flush();
    if (!this.path.length) return;
    const alpha = this.globalAlpha < 1 ? ` opacity="${n(this.globalAlpha)}"` : '';
    this.out.push(`<path d="${this.path.join('')}"${attributes}${alpha}/>`);
  }

  stroke(): void {
    const dash = this.state.dash.length ? ` stroke-dasharray="${this.state.dash.map(n).join(' ')}"` : '';
    const ends = this.lineCap === 'butt' ? '' : ` stroke-linecap="${this.lineCap}"`;
    const joins = this.lineJoin === 'miter' ? '' : ` stroke-linejoin="${this.lineJoin}"`;
    this.put(
      ` fill="none" stroke="${escaped(this.strokeStyle)}" stroke-width="${n(this.lineWidth)}"${dash}${ends}${joins}`,
    );
  }

  fill(rule?: string): void {
    this.put(` fill="${escaped(this.fillStyle)}"${rule === 'evenodd' ? ' fill-rule="evenodd"' : ''}`);
  }

  fillRect(x: number, y: number, w: number, h: number): void {
    const own = { x: x + this.state.shift[0], y: y + this.state.shift[1], w, h, fill: this.paint() };
    const { box } = this;
    // A strip is painted column by column: neighbours of one colour are one.
    if (
      box &&
      box.fill === own.fill &&
      box.y === own.y &&
      box.h === own.h &&
      Math.abs(box.x + box.w - own.x) < 0.01
    )
      box.w += own.w;
    else {
      this.flush();
      this.box = own;
    }
  }

  private paint(): string {
    return `fill="${escaped(this.fillStyle)}"${this.globalAlpha < 1 ? ` opacity="${n(this.globalAlpha)}"` : ''}`;
  }

  private flush(): void {
    const { box } = this;
    if (box)
      this.out.push(
        `<rect x="${n(box.x)}" y="${n(box.y)}" width="${n(box.w)}" height="${n(box.h)}" ${box.fill}/>`,
      );
    this.box = null;
  }

  strokeRect(x: number, y: number, w: number, h: number): void {
    this.beginPath();
    this.rect(x, y, w, h);
    this.stroke();
  }

  clearRect(): void {
    // Nothing lies beneath what is drawn on a sheet of its own.
  }

  clip(): void {
    this.flush();
    const id = `c${this.defs.length}`;
    this.defs.push(`<clipPath id="${id}"><path d="${this.path.join('')}"/></clipPath>`);
    this.out.push(`<g clip-path="url(#${id})">`);
    this.state.clips++;
  }

  fillText(text: string, x: number, y: number): void {
    this.flush();
    const font = fontOf(this.font, this.fontStretch);
    const anchor = ANCHORS[this.textAlign] ?? 'start';
    const baseline = BASELINES[this.textBaseline] ?? 'auto';
    const [px, py] = this.at(x, y).split(' ');
    this.out.push(
      `<text x="${px}" y="${py}" ${font}${anchor === 'start' ? '' : ` text-anchor="${anchor}"`}${
        baseline === 'auto' ? '' : ` dominant-baseline="${baseline}"`
      } ${this.paint()} xml:space="preserve">${escaped(text)}</text>`,
    );
  }

  /** A shape of a drawing that was SVG already, moved to where it stands. */
  shape(
    d: string,
    style: { fill: string; stroke: string; width: number; dash: string; opacity: number },
  ): void {
    this.flush();
    const [x, y] = this.state.shift;
    const dash = style.dash && style.dash !== 'none' ? ` stroke-dasharray="${escaped(style.dash)}"` : '';
    this.out.push(
      `<path d="${escaped(d)}" transform="translate(${n(x)} ${n(y)})" fill="${escaped(style.fill)}" stroke="${escaped(style.stroke)}" stroke-width="${n(style.width)}"${dash}${
        style.opacity < 1 ? ` opacity="${n(style.opacity)}"` : ''
      }/>`,
    );
  }

  /** The finished drawing. */
  document(width: number, height: number, paper: string, title: string, metadata: string): string {
    this.flush();
    return (
      `<svg xmlns="http://www.w3.org/2000/svg" width="${n(width)}" height="${n(height)}" viewBox="0 0 ${n(width)} ${n(height)}">` +
      `<title>${escaped(title)}</title><metadata>${escaped(metadata)}</metadata>` +
      (this.defs.length ? `<defs>${this.defs.join('')}</defs>` : '') +
      `<rect width="100%" height="100%" fill="${escaped(paper)}"/>${this.out.join('')}</svg>`
    );
  }
}

/** A canvas's font as SVG has it: "italic 600 12px/14px family". */
function fontOf(font: string, stretch: string): string {
  const found = /^(?:(italic|oblique)\s+)?(?:(\d{3}|bold|normal)\s+)?([\d.]+)px(?:\/[\d.a-z]+)?\s+(.+)$/.exec(
    font,
  );
  const [, style, weight, size, family] = found ?? ['', '', '', '10', 'sans-serif'];
  return (
    `font-family="${escaped((family ?? '').replaceAll('"', "'"))}, sans-serif" font-size="${size}"` +
    (weight && weight !== '400' && weight !== 'normal' ? ` font-weight="${weight}"` : '') +
    (style ? ` font-style="${style}"` : '') +
    (stretch && stretch !== 'normal' && stretch !== '100%' ? ` style="font-stretch:${escaped(stretch)}"` : '')
  );
}
