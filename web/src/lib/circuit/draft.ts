// A drawing of a circuit while it is changed: pure steps from one draft to the next. Places are metres on the version
// that is being changed, so that nothing moves under the hand when the start line does.
import type { DrawingIn, Ground } from '$lib/api/client';

export interface Corner {
  name: string;
  entry_m: number;
  apex_m: number;
  exit_m: number;
}
export interface Split {
  name: string;
  m: number;
}
export interface Draft {
  start_m: number;
  start_turn_deg: number;
  finish_m: number | null;
  corners: Corner[];
  borders: number[];
  splits: Split[];
  /** what the sector that begins at the start line is called; empty: by its number */
  first_sector: string;
}

export type Kind = 'start' | 'corners' | 'passages' | 'sectors' | 'marks';

/** Something with a place that can be taken hold of. */
export interface Handle {
  id: string;
  kind: Kind;
  place: number;
  label: string;
  /** which end of a corner it is */
  end?: 'entry' | 'apex' | 'exit';
}

/** What may be near a place on which a hand lets go. */
export interface Snap {
  braking: boolean;
  tens: boolean;
}

const LEAST_M = 3;
/** half of a corner that is put where there was none */
const HALF_M = 30;
/** more sectors than this are not named from memory */
export const MOST_SECTORS = 5;

export function draftOf(ground: Ground): Draft {
  const set = ground.sets.find((item) => item.id === ground.sector_set);
  return {
    start_m: 0,
    start_turn_deg: 0,
    finish_m: null,
    corners: ground.layout.corners.map(({ name, entry_m, apex_m, exit_m }) => ({
      name,
      entry_m,
      apex_m,
      exit_m,
    })),
    borders: ground.layout.passages.map((passage) => passage.from_m),
    splits: (set?.splits ?? []).map(({ name, m }) => ({ name, m })),
    first_sector: set?.first_sector ?? '',
  };
}

export function asked(draft: Draft, ground: Ground): DrawingIn {
  return { ...draft, base: ground.version.id, sector_set: ground.sector_set };
}

export const same = (a: Draft, b: Draft): boolean => JSON.stringify(a) === JSON.stringify(b);

/** A place brought onto the lap: round a closed circuit, between the ends of an open one. */
export function onLap(place: number, length: number, closed: boolean): number {
  return closed ? ((place % length) + length) % length : Math.min(Math.max(place, 0), length);
}

export function byApex(corners: Corner[]): Corner[] {
  return [...corners].sort((a, b) => a.apex_m - b.apex_m);
}

export function handles(
  draft: Draft,
  kind: Kind,
  ground: Ground,
  marks: { id: number; name: string; at_m: number }[],
  held: string | null = null,
): Handle[] {
  if (kind === 'start') {
    const line: Handle[] = [{ id: 'start', kind, place: draft.start_m, label: '' }];
    if (!ground.closed || draft.finish_m !== null)
      line.push({ id: 'finish', kind, place: draft.finish_m ?? ground.layout.length_m, label: '' });
    return line;
  }
  if (kind === 'corners')
    return draft.corners.flatMap((corner) =>
      // Thirteen corners have thirty-nine ends: those of the one that is held are enough.
      (ownerOf(held) === corner.name ? ENDS : APEX).map((end) => ({
        id: `${end}:${corner.name}`,
        kind,
        end,
        place: corner[`${end}_m`],
        label: end === 'apex' ? corner.name : '',
      })),
    );
  if (kind === 'passages')
    return draft.borders.map((place, i) => ({ id: `border:${i}`, kind, place, label: '' }));
  if (kind === 'sectors')
    return draft.splits.map((split, i) => ({ id: `split:${i}`, kind, place: split.m, label: split.name }));
  return marks.map((mark) => ({ id: `mark:${mark.id}`, kind, place: mark.at_m, label: mark.name }));
}

const ENDS = ['entry', 'apex', 'exit'] as const;
const APEX = ['apex'] as const;

/** The corner to which a handle belongs; null for others. */
export function ownerOf(id: string | null): string | null {
  return id !== null && /^(entry|apex|exit):/.test(id) ? id.slice(id.indexOf(':') + 1) : null;
}

/** The draft with one handle at another place. */
export function moved(draft: Draft, id: string, place: number): Draft {
  const [what, which = ''] = split(id);
  if (what === 'start') return { ...draft, start_m: place };
  if (what === 'finish') return { ...draft, finish_m: place };
  if (what === 'border') {
    const borders = draft.borders.map((own, i) => (i === Number(which) ? place : own));
    return { ...draft, borders };
  }
  if (what === 'split') {
    const splits = draft.splits.map((own, i) => (i === Number(which) ? { ...own, m: place } : own));
    return { ...draft, splits };
  }
  if (what === 'entry' || what === 'apex' || what === 'exit')
    return {
      ...draft,
      corners: draft.corners.map((own) => (own.name === which ? { ...own, [`${what}_m`]: place } : own)),
    };
  return draft;
}

function split(id: string): [string, string?] {
  const at = id.indexOf(':');
  return at < 0 ? [id] : [id.slice(0, at), id.slice(at + 1)];
}

/** The draft without what a handle stands for. */
export function without(draft: Draft, id: string): Draft {
  const [what, which = ''] = split(id);
  if (what === 'border') return { ...draft, borders: draft.borders.filter((_, i) => i !== Number(which)) };
  if (what === 'split') return { ...draft, splits: draft.splits.filter((_, i) => i !== Number(which)) };
  if (what === 'entry' || what === 'apex' || what === 'exit') return withoutCorner(draft, which);
  return draft;
}

export function withoutCorner(draft: Draft, name: string): Draft {
  return { ...draft, corners: draft.corners.filter((own) => own.name !== name) };
}

/** Two neighbouring corners as one: from the first one's entry to the second one's exit, with the first one's apex. */
export function joined(draft: Draft, name: string, length: number): Draft {
  const corners = byApex(draft.corners);
  const i = corners.findIndex((own) => own.name === name);
  const first = corners[i];
  const second = corners[(i + 1) % corners.length];
  if (!first || !second || first === second) return draft;
  const one = { ...first, exit_m: second.exit_m };
  const between = (place: number) =>
    ahead(first.apex_m, place, length) < ahead(first.apex_m, second.apex_m, length);
  return {
    ...draft,
    corners: byApex(corners.filter((own) => own !== second).map((own) => (own === first ? one : own))),
    // A border between the two would lie inside a corner.
    borders: draft.borders.filter((place) => !between(place)),
  };
}

const ahead = (from: number, to: number, length: number) => (((to - from) % length) + length) % length;

/** A corner cut in two at a place inside it; each part has its apex where it bends most. */
export function cut(draft: Draft, name: string, place: number, curvature: ArrayLike<number>): Draft {
  const own = draft.corners.find((corner) => corner.name === name);
  if (!own || !(place > own.entry_m + LEAST_M && place < own.exit_m - LEAST_M)) return draft;
  const parts = [
    {
      name: `${name}a`,
      entry_m: own.entry_m,
      apex_m: tightest(curvature, own.entry_m, place),
      exit_m: place,
    },
    { name: `${name}b`, entry_m: place, apex_m: tightest(curvature, place, own.exit_m), exit_m: own.exit_m },
  ];
  return {
    ...draft,
    corners: byApex(draft.corners.flatMap((corner) => (corner === own ? parts : [corner]))),
  };
}

/** Where a part of the lap bends most; its middle where it does not bend. */
export function tightest(curvature: ArrayLike<number>, from: number, to: number): number {
  let best = (from + to) / 2;
  let most = 1e-5;
  for (let i = Math.ceil(from + 2); i <= to - 2; i++) {
    const bend = Math.abs(curvature[i] ?? 0);
    if (bend > most) [most, best] = [bend, i];
  }
  return best;
}

/** A corner where there was none, with a name that is free. */
export function withCorner(draft: Draft, place: number, length: number, curvature: ArrayLike<number>): Draft {
  const taken = new Set(draft.corners.map((corner) => corner.name));
  let number = draft.corners.length + 1;
  while (taken.has(`T${number}`)) number++;
  const entry_m = Math.max(place - HALF_M, 1);
  const exit_m = Math.min(place + HALF_M, length - 1);
  const corner = { name: `T${number}`, entry_m, apex_m: tightest(curvature, entry_m, exit_m), exit_m };
  return { ...draft, corners: byApex([...draft.corners, corner]) };
}

export function renamed(draft: Draft, name: string, to: string): Draft {
  return {
    ...draft,
    corners: draft.corners.map((own) => (own.name === name ? { ...own, name: to } : own)),
  };
}

/** T1, T2, … from the start line as it will be; names that are words stay, and take a number. */
export function renumbered(draft: Draft, length: number): Draft {
  const order = [...draft.corners].sort(
    (a, b) => ahead(draft.start_m, a.apex_m, length) - ahead(draft.start_m, b.apex_m, length),
  );
  const names = new Map(
    order.map((own, i) => [own.name, /^T?\d+[a-z]?'*$/.test(own.name) ? `T${i + 1}` : own.name]),
  );
  return {
    ...draft,
    corners: draft.corners.map((own) => ({ ...own, name: names.get(own.name) ?? own.name })),
  };
}

export function withBorder(draft: Draft, place: number): Draft {
  return { ...draft, borders: [...draft.borders, place].sort((a, b) => a - b) };
}

export function withSplit(draft: Draft, place: number): Draft {
  return { ...draft, splits: [...draft.splits, { name: '', m: place }].sort((a, b) => a.m - b.m) };
}

export function named(draft: Draft, index: number, name: string): Draft {
  return { ...draft, splits: draft.splits.map((own, i) => (i === index ? { ...own, name } : own)) };
}

/** Where something snaps that is let go near a place: where braking begins, ends of corners, whole tens. */
export function snapped(
  place: number,
  within: number,
  snap: Snap,
  ground: Pick<Ground, 'zones'>,
  corners: Corner[],
): number {
  const places: number[] = [];
  if (snap.braking) {
    places.push(...ground.zones.map((zone) => zone.from_m));
    places.push(...corners.flatMap((corner) => [corner.entry_m, corner.exit_m]));
  }
  let best = place;
  let nearest = within;
  for (const own of places)
    if (Math.abs(own - place) < nearest) [nearest, best] = [Math.abs(own - place), own];
  if (best === place && snap.tens) best = Math.round(place / 10) * 10;
  return best;
}

/** A place that somebody typed, like "1042.3 m", "1,042" or "3 420 ft", in metres; null where it is none. */
export function typed(text: string, perMetre: number): number | null {
  const found = /^\s*([+−-]?)\s*(\d[\d\s.,'’]*?)\s*(m|ft|metres?|feet)?\s*$/i.exec(text);
  if (!found) return null;
  let digits = (found[2] ?? '').replace(/[\s'’]/g, '');
  // A comma is a decimal one unless three digits follow it.
  digits = /,\d{3}(\D|$)/.test(digits) ? digits.replace(/,/g, '') : digits.replace(',', '.');
  const value = Number(digits) * (found[1] && found[1] !== '+' ? -1 : 1);
  if (!Number.isFinite(value)) return null;
  const unit = (found[3] ?? '').toLowerCase();
  const factor = unit.startsWith('f') ? 1 / 0.3048 : unit.startsWith('m') ? 1 : perMetre;
  return value / factor;
}
