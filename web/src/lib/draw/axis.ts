// What runs from left to right: metres along the circuit, or seconds since the stretch began. Places stay places: on the
// time axis a place stands where the reference is there.
import { valueAt, type Curve } from '$lib/desk/curves';

export type AxisKind = 'distance' | 'time';

/** Steps of the time axis for each second: fine enough that nobody drives further than the grid's metre and a half. */
export const PER_SECOND = 50;

export interface Axis {
  readonly kind: AxisKind;
  /** what curves are drawn over: whole steps, and the end */
  readonly grid: Float64Array;
  /** where a place of the circuit stands, in steps */
  to(place: number): number;
  /** where a lap's own place stands, by its own clock */
  toOfLap(place: number, time: Curve | undefined): number;
  /** the place at a step */
  place(step: number): number;
  /** seconds since the stretch began; steps themselves on the distance axis */
  told(step: number): number;
  /** the step of what is told */
  step(told: number): number;
  /** A curve of places (a delta, a loss rate) over this axis. */
  alongPlaces(values: Curve): Curve;
  /** A lap's channel over this axis; `time` is the lap's own, from the line. */
  alongLap(values: Curve, time: Curve | undefined, stepped?: boolean): Curve;
}

export function distanceAxis(s: Float64Array): Axis {
  return {
    kind: 'distance',
    grid: s,
    to: (place) => place,
    toOfLap: (place) => place,
    place: (step) => step,
    told: (step) => step,
    step: (told) => told,
    alongPlaces: (values) => values,
    alongLap: (values) => values,
  };
}

/**
 * Seconds of the reference lap; every lap starts its clock at `from`.
 *
 * @param s the 1 m grid
 * @param reference seconds of the reference from the line, on the grid
 * @param from metres from the line, where all clocks start
 */
export function timeAxis(s: Float64Array, reference: Curve, from: number): Axis {
  const begin = valueAt(s, reference, from);
  const to = (place: number): number => valueAt(s, reference, place) * PER_SECOND;
  const end = (reference[reference.length - 1] ?? 0) * PER_SECOND;
  const grid = Float64Array.from({ length: Math.floor(end) + 1 }, (_, i) => i);
  const steps = end - Math.floor(end) > 1e-6 ? Float64Array.from([...grid, end]) : grid;
  /** where the reference is at each step, on the grid of places */
  const places = placesAt(reference, s, steps, 0);
  return {
    kind: 'time',
    grid: steps,
    to,
    toOfLap: (place, time) =>
      time ? (valueAt(s, time, place) - valueAt(s, time, from) + begin) * PER_SECOND : NaN,
    place: (step) => valueAt(steps, places, step),
    told: (step) => step / PER_SECOND - begin,
    step: (told) => (told + begin) * PER_SECOND,
    alongPlaces: (values) => read(s, values, places, false),
    alongLap: (values, time, stepped = false) => {
      if (!time) return new Float32Array(steps.length).fill(NaN);
      if (time === reference) return read(s, values, places, stepped);
      return read(s, values, placesAt(time, s, steps, valueAt(s, time, from) - begin), stepped);
    },
  };
}

/** Where a lap is at each step of the clock, which its own is `ahead` seconds ahead of; NaN before and after the lap. */
function placesAt(time: Curve, s: Float64Array, steps: Float64Array, ahead: number): Float64Array {
  const found = new Float64Array(steps.length).fill(NaN);
  const last = time.length - 1;
  let j = 0;
  for (let i = 0; i < steps.length; i++) {
    const at = (steps[i] ?? 0) / PER_SECOND + ahead;
    if (at < (time[0] ?? 0) - 1e-6 || at > (time[last] ?? 0) + 1e-6) continue;
    while (j < last - 1 && (time[j + 1] ?? 0) < at) j++;
    const [a, b] = [time[j] ?? 0, time[j + 1] ?? 0];
    const share = b > a ? Math.min(Math.max((at - a) / (b - a), 0), 1) : 0;
    found[i] = (s[j] ?? 0) * (1 - share) + (s[j + 1] ?? 0) * share;
  }
  return found;
}

function read(s: Float64Array, values: Curve, places: Float64Array, stepped: boolean): Float32Array {
  const found = new Float32Array(places.length);
  for (let i = 0; i < places.length; i++) {
    const place = places[i] as number;
    if (Number.isNaN(place)) found[i] = NaN;
    else found[i] = stepped ? (values[Math.floor(place)] ?? NaN) : valueAt(s, values, place);
  }
  return found;
}
