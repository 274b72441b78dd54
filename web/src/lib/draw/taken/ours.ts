import { keepFile } from '$lib/draw/taken/sheet';

// A drawing as a file of its own: what the page's styles say of it is written into it.
const KEPT = [
  'fill',
  'stroke',
  'stroke-width',
  'stroke-dasharray',
  'stroke-linejoin',
  'opacity',
  'font-family',
  'font-size',
  'font-weight',
  'font-stretch',
  'text-anchor',
  'dominant-baseline',
];

export function pictureOf(svg: SVGSVGElement): string {
  const copy = svg.cloneNode(true) as SVGSVGElement;
  const own = [svg, ...svg.querySelectorAll('*')];
  const made = [copy, ...copy.querySelectorAll('*')];
  own.forEach((element, i) => {
    const styles = getComputedStyle(element);
    for (const name of KEPT) {
      const value = styles.getPropertyValue(name);
      if (value) made[i]?.setAttribute(name, value);
    }
    made[i]?.removeAttribute('class');
    made[i]?.removeAttribute('style');
  });
  copy.setAttribute('xmlns', 'http://www.w3.org/2000/svg');
  const { width, height } = svg.getBoundingClientRect();
  copy.setAttribute('viewBox', `0 0 ${width} ${height}`);
  return new XMLSerializer().serializeToString(copy);
}

export function savePicture(svg: SVGSVGElement, name: string): void {
  keepFile(new Blob([pictureOf(svg)], { type: 'image/svg+xml' }), `${name}.svg`);
}
