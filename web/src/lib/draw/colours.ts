// Colours of drivers and of loss. Drivers avoid orange and teal, which only ever say losing and gaining, and brass.
//
// Twelve colours that are as far apart as can be found, for eyes that see all colours and for three kinds that do not,
// with a contrast of 4.5 at least against the page; the first six are the furthest apart (found by annealing distances
// in OKLab; the test says how far they are).
const LIGHT = [
  '#603c04',
  '#7549da',
  '#04518f',
  '#865f85',
  '#8b1980',
  '#9a1032',
  '#8c5900',
  '#bb39ae',
  '#4670be',
  '#5221b0',
  '#50395f',
  '#535d57',
];
const DARK = [
  '#97ea72',
  '#a87afa',
  '#7ce8ff',
  '#f3c9dd',
  '#fe99c3',
  '#af9892',
  '#8fbd11',
  '#e56bbe',
  '#8399d9',
  '#cc9ffe',
  '#a8bfe5',
  '#cae1b0',
];

export const COLOURS: readonly string[] = LIGHT;

export function driverColour(index: number, dark: boolean): string {
  const palette = dark ? DARK : LIGHT;
  return palette[index % palette.length] ?? '#555';
}

/** A colour with a share of another. */
export function mixed(colour: string, other: string, share: number): string {
  if (!share) return colour;
  const [a, b] = [rgb(colour), rgb(other)];
  return `rgb(${a.map((c, i) => Math.round(c + ((b[i] ?? c) - c) * share)).join(' ')})`;
}

type Rgb = [number, number, number];
const rgb = (hex: string): Rgb => [1, 3, 5].map((i) => parseInt(hex.slice(i, i + 2), 16)) as Rgb;

export interface LossColours {
  even: Rgb;
  loss: Rgb;
  gain: Rgb;
}

export const LOSS: Record<'light' | 'dark', LossColours> = {
  light: { even: rgb('#f1ede1'), loss: rgb('#d4551a'), gain: rgb('#0d8a86') },
  dark: { even: rgb('#31353f'), loss: rgb('#f0793c'), gain: rgb('#35b8b2') },
};

/** Colour of a loss rate: orange for losing, teal for gaining, paper for neither; `full` gets the whole colour. */
export function lossColour(rate: number, full: number, colours: LossColours): string {
  const share = Math.min(Math.abs(rate) / full, 1) ** 0.8;
  const end = rate > 0 ? colours.loss : colours.gain;
  const own = colours.even.map((c, i) => Math.round(c + ((end[i] ?? c) - c) * share));
  return `rgb(${own.join(' ')})`;
}

const SEQUENCE: Record<'light' | 'dark', [Rgb, Rgb]> = {
  light: [rgb('#e3dac2'), rgb('#4a2f6b')],
  dark: [rgb('#3c3f4c'), rgb('#d9c8f0')],
};

/** Colour of a share of a channel's range, from little to much. */
export function sequence(share: number, dark: boolean): string {
  const [low, high] = SEQUENCE[dark ? 'dark' : 'light'];
  const part = Math.min(Math.max(share, 0), 1);
  return `rgb(${low.map((c, i) => Math.round(c + ((high[i] ?? c) - c) * part)).join(' ')})`;
}

/** The loss rate that gets the whole colour: high among those of the line-up, the same for all strips and the map. */
export function fullRate(rates: ArrayLike<number>[]): number {
  const sizes: number[] = [];
  for (const rate of rates) for (let i = 0; i < rate.length; i += 7) sizes.push(Math.abs(rate[i] ?? 0));
  sizes.sort((a, b) => a - b);
  const high = sizes[Math.floor(sizes.length * 0.97)] ?? 0;
  // Never less than 0.05 s in 100 m: noise must not look like loss.
  return Math.max(0.0005, Math.min(high, 0.01));
}
