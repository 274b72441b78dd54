// Decodes the Arrow stream: the 1 m grid of the channels on show.
import { tableFromIPC } from '@uwdata/flechette';

export type Curve = Float32Array | Float64Array;

export interface Curves {
  s: Float64Array;
  /** time, loss_rate and channels by lap key and role */
  of(key: string, role: string): Curve | undefined;
  has(role: string): boolean;
}

/** What a driver usually does with a channel: the median, and between what the middle half of the laps lies. */
export interface Band {
  low: Curve;
  middle: Curve;
  high: Curve;
}

export interface Bands {
  of(driver: number, role: string): Band | undefined;
}

export function decode(bytes: Uint8Array): { columns: Map<string, Curve>; s: Float64Array } {
  const table = tableFromIPC(bytes);
  const columns = new Map<string, Curve>();
  for (const name of table.names) columns.set(name, table.getChild(name).toArray() as Curve);
  const s = columns.get('s');
  if (!(s instanceof Float64Array)) throw new Error('The curves came without their grid.');
  return { columns, s };
}

export function decodeBands(bytes: Uint8Array): Bands {
  const { columns } = decode(bytes);
  return {
    of(driver, role) {
      const [low, middle, high] = ['low', 'middle', 'high'].map((name) =>
        columns.get(`${driver}|${role}|${name}`),
      );
      return low && middle && high ? { low, middle, high } : undefined;
    },
  };
}

export function decodeCurves(bytes: Uint8Array): Curves {
  const { columns, s } = decode(bytes);
  return {
    s,
    of: (key, role) => columns.get(`${key}|${role}`),
    has: (role) => [...columns.keys()].some((name) => name.endsWith(`|${role}`)),
  };
}

/** Value at a place, between grid points in proportion. The grid has whole metres and the length. */
export function valueAt(s: Float64Array, values: Curve, place: number): number {
  const last = s.length - 1;
  const i = Math.min(Math.max(Math.floor(place), 0), last - 1);
  const a = s[i] ?? 0;
  const b = s[i + 1] ?? a;
  const share = b > a ? Math.min(Math.max((place - a) / (b - a), 0), 1) : 0;
  return (values[i] ?? NaN) * (1 - share) + (values[i + 1] ?? NaN) * share;
}

/** Values known at some places, in proportion on the grid. */
export function onGrid(s: Float64Array, places: number[], values: number[]): Float32Array {
  const found = new Float32Array(s.length);
  let j = 0;
  for (let i = 0; i < s.length; i++) {
    const here = s[i] ?? 0;
    while (j < places.length - 2 && (places[j + 1] ?? 0) < here) j++;
    const a = places[j] ?? 0;
    const b = places[j + 1] ?? a;
    const share = b > a ? Math.min(Math.max((here - a) / (b - a), 0), 1) : 0;
    found[i] = (values[j] ?? 0) * (1 - share) + (values[j + 1] ?? 0) * share;
  }
  return found;
}

/** Values along a part of the circuit on the grid, NaN outside of it; places may run on across the line. */
export function alongPart(s: Float64Array, places: number[], values: number[]): Float32Array {
  const found = new Float32Array(s.length).fill(NaN);
  let first = 0;
  for (let i = 1; i <= places.length; i++) {
    if (i < places.length && (places[i] ?? 0) >= (places[i - 1] ?? 0)) continue;
    const own = onGrid(s, places.slice(first, i), values.slice(first, i));
    const [low, high] = [places[first] ?? 0, places[i - 1] ?? 0];
    for (let k = 0; k < s.length; k++)
      if ((s[k] ?? 0) >= low && (s[k] ?? 0) <= high) found[k] = own[k] ?? NaN;
    first = i;
  }
  return found;
}

/** Time delta on the grid, restarted so that it is 0 at `from`. */
export function deltaOf(s: Float64Array, lap: Curve, reference: Curve, from: number): Float32Array {
  const start = from > 0 ? valueAt(s, lap, from) - valueAt(s, reference, from) : 0;
  const delta = new Float32Array(lap.length);
  for (let i = 0; i < delta.length; i++) delta[i] = (lap[i] ?? NaN) - (reference[i] ?? NaN) - start;
  return delta;
}

/** A channel of one lap less another's on the grid; NaN where one of them does not know. */
export function differenceOf(own: Curve, other: Curve): Float32Array {
  const found = new Float32Array(own.length);
  for (let i = 0; i < found.length; i++) found[i] = (own[i] ?? NaN) - (other[i] ?? NaN);
  return found;
}
