// A part of the page as a picture of its own: with a head that says what it is of, and its legend beneath.
import { paint } from '$lib/draw/taken/paint';
import { SvgPen, type Ink } from '$lib/draw/taken/pen';

export interface Sheet {
  /** what is painted */
  root: HTMLElement;
  title: string;
  /** further lines beneath the title */
  lines: string[];
  legend: { label: string; colour: string; width: number; dash: number[] }[];
  inks: { ink: string; muted: string; paper: string };
  /** what the picture holds, for programs */
  metadata: string;
}

const MARGIN = 18;
const LINE = 17;
const SANS = '"Instrument Sans Variable"';
/** Twice as fine as it is shown, for paper. */
const FINE = 2;
/** Larger than this no browser paints. */
const MOST_PX = 16_000;

interface Measured {
  width: number;
  height: number;
  head: number;
  body: number;
}

function measured(sheet: Sheet): Measured {
  const { width, height } = sheet.root.getBoundingClientRect();
  const head = 26 + LINE * sheet.lines.length;
  const rows = Math.ceil(sheet.legend.length / perRow(width));
  return { width: width + 2 * MARGIN, head, body: height, height: head + height + rows * LINE + 3 * MARGIN };
}

const perRow = (width: number): number => Math.max(1, Math.floor(width / 190));

/** While it is painted nothing sticks to the edges of the page: rulers and axes stand at the ends of their score. */
function unstuck<T>(root: HTMLElement, make: () => T): T {
  root.classList.add('taken');
  try {
    return make();
  } finally {
    root.classList.remove('taken');
  }
}

function write(pen: Ink | SvgPen, sheet: Sheet, size: Measured): void {
  pen.textAlign = 'left';
  pen.textBaseline = 'alphabetic';
  pen.fillStyle = sheet.inks.ink;
  pen.font = `640 16px ${SANS}`;
  pen.fillText(sheet.title, MARGIN, MARGIN + 14);
  pen.font = `13px ${SANS}`;
  pen.fillStyle = sheet.inks.muted;
  sheet.lines.forEach((line, i) => pen.fillText(line, MARGIN, MARGIN + 26 + LINE * (i + 0.5)));
  pen.save();
  pen.translate(MARGIN, MARGIN + size.head);
  paint(pen, sheet.root);
  pen.restore();
  const top = MARGIN + size.head + size.body + MARGIN / 2;
  const columns = perRow(size.width - 2 * MARGIN);
  sheet.legend.forEach((one, i) => {
    const x = MARGIN + (i % columns) * 190;
    const y = top + (Math.floor(i / columns) + 0.5) * LINE;
    pen.beginPath();
    pen.moveTo(x, y);
    pen.lineTo(x + 26, y);
    pen.strokeStyle = one.colour;
    pen.lineWidth = one.width;
    pen.setLineDash(one.dash);
    pen.stroke();
    pen.setLineDash([]);
    pen.fillStyle = sheet.inks.ink;
    pen.font = `12px ${SANS}`;
    pen.fillText(one.label, x + 32, y + 4);
  });
}

export function svgOf(sheet: Sheet): string {
  return unstuck(sheet.root, () => {
    const size = measured(sheet);
    const pen = new SvgPen();
    write(pen, sheet, size);
    return pen.document(size.width, size.height, sheet.inks.paper, sheet.title, sheet.metadata);
  });
}

export function pngOf(sheet: Sheet): Promise<Blob> {
  const canvas = unstuck(sheet.root, () => {
    const size = measured(sheet);
    const fine = Math.min(FINE, MOST_PX / Math.max(size.width, size.height));
    const own = document.createElement('canvas');
    own.width = Math.round(size.width * fine);
    own.height = Math.round(size.height * fine);
    const ctx = own.getContext('2d');
    if (!ctx) throw new Error('This browser paints no pictures.');
    ctx.scale(fine, fine);
    ctx.fillStyle = sheet.inks.paper;
    ctx.fillRect(0, 0, size.width, size.height);
    write(ctx, sheet, size);
    return own;
  });
  return new Promise((resolve, reject) =>
    canvas.toBlob(
      (blob) => (blob ? resolve(blob) : reject(new Error('The picture is too large.'))),
      'image/png',
    ),
  );
}

/** Gives a file to the person at the screen. */
export function keepFile(blob: Blob, name: string): void {
  const url = URL.createObjectURL(blob);
  const link = document.createElement('a');
  link.href = url;
  link.download = name;
  link.click();
  // Some browsers begin to read it only later.
  setTimeout(() => URL.revokeObjectURL(url), 10_000);
}
