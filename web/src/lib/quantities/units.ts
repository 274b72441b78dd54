// User units at the edge: everything inside is SI.

export type UnitSystem = 'metric' | 'imperial';

export interface Unit {
  label: string;
  factor: number;
  offset: number;
  digits: number;
}

const unit = (label: string, factor: number, digits: number, offset = 0): Unit => ({
  label,
  factor,
  digits,
  offset,
});

type Kind =
  | 'distance'
  | 'width'
  | 'length'
  | 'speed'
  | 'pressure'
  | 'share'
  | 'angle'
  | 'plain'
  | 'turning'
  | 'acceleration'
  | 'temperature'
  | 'turn_rate'
  | 'voltage'
  | 'loss_rate'
  | 'curvature'
  | 'share_rate'
  | 'time';

const KINDS: Record<Kind, Record<UnitSystem, Unit>> = {
  distance: { metric: unit('m', 1, 0), imperial: unit('ft', 1 / 0.3048, 0) },
  width: { metric: unit('m', 1, 1), imperial: unit('ft', 1 / 0.3048, 1) },
  length: { metric: unit('km', 0.001, 2), imperial: unit('mi', 1 / 1609.344, 2) },
  speed: { metric: unit('km/h', 3.6, 0), imperial: unit('mph', 2.2369362920544, 0) },
  pressure: { metric: unit('bar', 1e-5, 0), imperial: unit('psi', 0.000145037738, 0) },
  share: { metric: unit('%', 100, 0), imperial: unit('%', 100, 0) },
  angle: { metric: unit('°', 57.29577951308232, 0), imperial: unit('°', 57.29577951308232, 0) },
  plain: { metric: unit('', 1, 0), imperial: unit('', 1, 0) },
  turning: { metric: unit('rpm', 9.549296585513721, 0), imperial: unit('rpm', 9.549296585513721, 0) },
  acceleration: { metric: unit('g', 1 / 9.80665, 2), imperial: unit('g', 1 / 9.80665, 2) },
  temperature: { metric: unit('°C', 1, 0, -273.15), imperial: unit('°F', 1.8, 0, -459.67) },
  turn_rate: { metric: unit('°/s', 57.29577951308232, 0), imperial: unit('°/s', 57.29577951308232, 0) },
  voltage: { metric: unit('V', 1, 2), imperial: unit('V', 1, 2) },
  loss_rate: { metric: unit('s/100 m', 100, 2), imperial: unit('s/100 yd', 91.44, 2) },
  curvature: { metric: unit('1/km', 1000, 1), imperial: unit('1/mi', 1609.344, 1) },
  share_rate: { metric: unit('%/s', 100, 0), imperial: unit('%/s', 100, 0) },
  time: { metric: unit('s', 1, 2), imperial: unit('s', 1, 2) },
};

export function unitOf(kind: Kind, system: UnitSystem): Unit {
  return KINDS[kind][system];
}

/** The unit of a quantity as the server names it; one that is not known here is shown as it is. */
export function unitOfQuantity(quantity: string, system: UnitSystem): Unit {
  return KINDS[quantity as Kind]?.[system] ?? KINDS.plain[system];
}

/** A unit that only the logger knows: shown with its values as they were written. */
export function loggersUnit(label: string): Unit {
  return { label, factor: 1, offset: 0, digits: 1 };
}

/** A figure that was typed, back in SI; null where it is none. */
export function typedIn(text: string, u: Unit): number | null {
  const value = Number(text.trim().replace('−', '-').replace(',', '.'));
  return text.trim() === '' || !Number.isFinite(value) ? null : (value - u.offset) / u.factor;
}

/** A figure in a unit, without the unit itself. A minus is a real minus, so that columns align. */
export function figure(value: number | null | undefined, u: Unit, digits = u.digits): string {
  if (value === null || value === undefined || !Number.isFinite(value)) return '–';
  return minus((value * u.factor + u.offset).toFixed(digits));
}

/** A difference with its sign: plus, minus, or ± 0 shown as 0. */
export function signed(value: number | null | undefined, u: Unit, digits = u.digits): string {
  if (value === null || value === undefined || !Number.isFinite(value)) return '–';
  const text = (value * u.factor).toFixed(digits);
  if (Number(text) === 0) return text.replace('-', '');
  return value > 0 ? `+${text}` : minus(text);
}

function minus(text: string): string {
  return text.replace('-', '−');
}

/** Lap time as minutes and seconds. */
export function lapTime(seconds: number | null | undefined, digits = 2): string {
  if (seconds === null || seconds === undefined) return '–';
  const scale = 10 ** digits;
  const ticks = Math.round(seconds * scale);
  const minutes = Math.floor(ticks / (60 * scale));
  const rest = (ticks - minutes * 60 * scale) / scale;
  return minutes ? `${minutes}:${rest.toFixed(digits).padStart(3 + digits, '0')}` : rest.toFixed(digits);
}

export function fileSize(bytes: number): string {
  return bytes < 1e6 ? `${Math.max(1, Math.round(bytes / 1000))} kB` : `${(bytes / 1e6).toFixed(1)} MB`;
}
