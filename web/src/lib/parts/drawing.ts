// A drawing that came as text, made of nothing but shapes and texts: what else stands in it is left out.
const SHAPES = ['svg', 'g', 'rect', 'path', 'line', 'circle', 'text'];
const KEPT = [
  'viewBox',
  'd',
  'x',
  'y',
  'x1',
  'x2',
  'y1',
  'y2',
  'cx',
  'cy',
  'r',
  'width',
  'height',
  'fill',
  'stroke',
  'stroke-width',
  'stroke-linejoin',
  'font-size',
  'font-weight',
  'font-family',
  'text-anchor',
  'paint-order',
];
const SVG = 'http://www.w3.org/2000/svg';

/** The colours of the server's paper as the page has them, by day and by night. */
const INKS: Record<string, string> = {
  '#20242e': 'var(--ink)',
  '#5f5c55': 'var(--muted)',
  '#f1ede1': 'var(--strip)',
  '#b9b2a3': 'var(--field)',
  '#fffefb': 'var(--sheet)',
  '#4a2f6b': 'var(--accent)',
  '#a87a12': 'light-dark(#a87a12, #e7b04b)',
  '#c9c0ac': 'light-dark(#c9c0ac, #5d626d)',
  '#ddd7ca': 'var(--rule)',
};

function taken(from: Element): Element | null {
  if (!SHAPES.includes(from.localName)) return null;
  const made = document.createElementNS(SVG, from.localName);
  for (const name of KEPT) {
    const value = from.getAttribute(name);
    if (value !== null) made.setAttribute(name, INKS[value] ?? value);
  }
  if (from.localName === 'text') made.textContent = from.textContent;
  else made.append(...[...from.children].flatMap((child) => taken(child) ?? []));
  return made;
}

/** The drawing as an element, with a name for those who cannot see it; null where the text is none. */
export function drawing(text: string, label: string): Element | null {
  const read = new DOMParser().parseFromString(text, 'image/svg+xml').documentElement;
  if (read.localName !== 'svg') return null;
  const made = taken(read);
  made?.setAttribute('role', 'img');
  made?.setAttribute('aria-label', label);
  return made;
}
