import { describe, expect, it } from 'vitest';
import { COLOURS, driverColour, LOSS, mixed } from './colours';

type Three = [number, number, number];

const linear = (hex: string): Three =>
  [1, 3, 5].map((i) => {
    const c = parseInt(hex.slice(i, i + 2), 16) / 255;
    return c <= 0.04045 ? c / 12.92 : ((c + 0.055) / 1.055) ** 2.4;
  }) as Three;
const times = (m: number[][], v: Three): Three =>
  m.map((row) => row.reduce((sum, x, i) => sum + x * (v[i] ?? 0), 0)) as Three;

// Ottosson's OKLab, times 100.
function lab(rgb: Three): Three {
  const lms = times(
    [
      [0.4122214708, 0.5363325363, 0.0514459929],
      [0.2119034982, 0.6806995451, 0.1073969566],
      [0.0883024619, 0.2817188376, 0.6299787005],
    ],
    rgb,
  ).map((x) => Math.cbrt(Math.max(x, 0))) as Three;
  return times(
    [
      [21.04542553, 79.3617785, -0.40720468],
      [197.79984951, -242.85922, 45.05937099],
      [2.59040371, 78.27717662, -80.8675766],
    ],
    lms,
  );
}

// Machado, Oliveira and Fernandes, IEEE Trans. Visualization and Computer Graphics 15, 2009: nothing left of one kind.
const EYES: Record<string, number[][]> = {
  all: [
    [1, 0, 0],
    [0, 1, 0],
    [0, 0, 1],
  ],
  'no long': [
    [0.152286, 1.052583, -0.204868],
    [0.114503, 0.786281, 0.099216],
    [-0.003882, -0.048116, 1.051998],
  ],
  'no middle': [
    [0.367322, 0.860646, -0.227968],
    [0.280085, 0.672501, 0.047413],
    [-0.01182, 0.04294, 0.968881],
  ],
  'no short': [
    [1.255528, -0.076749, -0.178779],
    [-0.078411, 0.930809, 0.147602],
    [0.004733, 0.691367, 0.3039],
  ],
};

const apart = (a: Three, b: Three): number => Math.hypot(...a.map((x, i) => x - (b[i] ?? 0)));
const light = (hex: string): number => times([[0.2126, 0.7152, 0.0722]], linear(hex))[0];
const contrast = (a: string, b: string): number => {
  const [x, y] = [light(a), light(b)].sort((p, q) => q - p) as [number, number];
  return (x + 0.05) / (y + 0.05);
};

describe.each([
  [false, '#faf8f3'],
  [true, '#191c24'],
] as [boolean, string][])('drivers’ colours, dark: %s', (dark, page) => {
  const all = COLOURS.map((_, i) => driverColour(i, dark));

  it('can be read on the page', () => {
    for (const colour of all) expect(contrast(colour, page)).toBeGreaterThanOrEqual(4.5);
  });

  it.each(Object.keys(EYES))('are told apart by eyes with: %s', (eyes) => {
    const seen = all.map((hex) =>
      lab(times(EYES[eyes] ?? [], linear(hex)).map((x) => Math.min(Math.max(x, 0), 1)) as Three),
    );
    const least = Math.min(...seen.flatMap((a, i) => seen.slice(i + 1).map((b) => apart(a, b))));
    expect(least).toBeGreaterThan(eyes === 'all' ? 10 : 5.4);
  });

  it('are neither losing nor gaining', () => {
    const { loss, gain } = LOSS[dark ? 'dark' : 'light'];
    for (const own of [loss, gain]) {
      const hex = `#${own.map((c) => c.toString(16).padStart(2, '0')).join('')}`;
      for (const colour of all) expect(apart(lab(linear(colour)), lab(linear(hex)))).toBeGreaterThan(12);
    }
  });
});

it('mixes a colour with another', () => {
  expect(mixed('#000000', '#ffffff', 0)).toBe('#000000');
  expect(mixed('#000000', '#ffffff', 0.5)).toBe('rgb(128 128 128)');
});
