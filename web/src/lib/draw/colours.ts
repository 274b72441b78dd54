// Colours of drivers and of loss. Drivers avoid orange and teal, which only ever say losing and gaining.

const LIGHT = [
  '#2457b3',
  '#a3317f',
  '#55710c',
  '#7747bd',
  '#85501f',
  '#b01f45',
  '#3b6a94',
  '#6b5d00',
  '#274e37',
  '#8a3fa0',
  '#4d4d57',
  '#1b6fd0',
];
const DARK = [
  '#86b0f7',
  '#f08ccd',
  '#b5d24f',
  '#bd9af2',
  '#d9a36c',
  '#f58aa5',
  '#95c0e6',
  '#d8c648',
  '#8fcaa6',
  '#dd9bef',
  '#bdbdc6',
  '#6fb0ff',
];

export function driverColour(index: number, dark: boolean): string {
  const palette = dark ? DARK : LIGHT;
  return palette[index % palette.length] ?? '#555';
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
  const mixed = colours.even.map((c, i) => Math.round(c + ((end[i] ?? c) - c) * share));
  return `rgb(${mixed.join(' ')})`;
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
