// The desk's state as an address that can be sent to somebody: line-up, reference, chosen lap, stretch, zoom, cursor.

import type { AxisKind } from '$lib/draw/axis';

export type MapKind = 'lines' | 'each';
/** What stands above the score beside the map: steadiness, grip, how often which value, one channel over another. */
export const PICTURES = ['steady', 'grip', 'often', 'against'] as const;
export type Picture = (typeof PICTURES)[number];

export interface Place {
  laps: string[];
  reference: string | null;
  run: number | null;
  event: number | null;
  chosen: string | null;
  passage: string | null;
  stretch: [number, number] | null;
  zoom: [number, number] | null;
  cursor: number | null;
  /** the other end of what is measured from the cursor */
  until: number | null;
  /** laps that lie there and are not drawn */
  hidden: string[];
  /** of a passage with several corners, the one whose figures are shown */
  corner: string | null;
  /** the loss rate that gets the whole colour, s/m; null: chosen by what is lost */
  full: number | null;
  /** what runs from left to right */
  axis: AxisKind;
  /** the large map: driven lines, or a small map of each lap's loss */
  map: MapKind | null;
  /** what colours the chosen lap on it: a channel, or its loss; null: the drivers' colours */
  coloured: string | null;
  /** whether the driving direction points up on it */
  upwards: boolean;
  /** a picture of more than the curves, the channel it is of, and the one that runs from left to right in it */
  picture: Picture | null;
  of: string | null;
  over: string | null;
  /** whether what drivers usually do stands for their laps */
  banded: boolean;
  /** the cause without which the chosen lap is shown, too */
  without: string | null;
  staves: string[] | null;
  folded: string[];
  /** number of the circuit's version on which the laps are measured */
  version: number | null;
}

/** Nothing is said of anything. */
export const NOWHERE: Place = {
  laps: [],
  reference: null,
  run: null,
  event: null,
  chosen: null,
  passage: null,
  stretch: null,
  zoom: null,
  cursor: null,
  until: null,
  hidden: [],
  corner: null,
  full: null,
  axis: 'distance',
  map: null,
  coloured: null,
  upwards: false,
  picture: null,
  of: null,
  over: null,
  banded: false,
  without: null,
  staves: null,
  folded: [],
  version: null,
};

const whole = (text: string | null): number | null =>
  text !== null && /^\d{1,9}$/.test(text) ? Number(text) : null;

function pair(text: string | null): [number, number] | null {
  const match = /^(\d+(?:\.\d+)?)-(\d+(?:\.\d+)?)$/.exec(text ?? '');
  return match ? [Number(match[1]), Number(match[2])] : null;
}

// A lap that was driven, or one that is made of others.
const LAP = /^(\d{1,10}[.-]\d{1,6}|(best|sectors|passages|median)-(desk|r\d+|d\d+(e\d+)?|e\d+))$/;

const lapKey = (text: string | null): string | null => (text !== null && LAP.test(text) ? text : null);
const lapKeys = (text: string | null): string[] => (text ?? '').split(',').filter((key) => lapKey(key));

function decoded(text: string | null): string | null {
  try {
    return text === null ? null : decodeURIComponent(text).slice(0, 200) || null;
  } catch {
    return null;
  }
}

/** Between channels that share a stave: no channel's name holds it. */
export const JOIN = '\n';

export const rolesOf = (stave: string): string[] => stave.split(JOIN);

function readStave(text: string): string | null {
  const roles = text.split('*').map(readRole);
  return roles.length < 5 && roles.every((role) => role !== null) ? roles.join(JOIN) : null;
}

/** A channel; one without a role is named by its logger and may hold any sign. */
function readRole(text: string): string | null {
  if (/^[a-z_]+$/.test(text)) return text;
  if (!text.startsWith('~') || text.length < 2) return null;
  try {
    return '~' + decodeURIComponent(text.slice(1));
  } catch {
    return null;
  }
}

const writeStave = (stave: string): string => rolesOf(stave).map(writeRole).join('*');

function writeRole(role: string): string {
  // Twice, since the first layer is taken off before the commas between staves are looked for.
  if (!role.startsWith('~')) return role;
  return '~' + encodeURIComponent(encodeURIComponent(role.slice(1)).replaceAll('*', '%2A'));
}

const readStaves = (text: string | null): string[] =>
  (text ?? '').split(',').flatMap((stave) => readStave(stave) ?? []);

export function readPlace(query: URLSearchParams): Place {
  return {
    laps: lapKeys(query.get('laps')),
    reference: lapKey(query.get('ref')),
    run: whole(query.get('run')),
    event: whole(query.get('event')),
    chosen: lapKey(query.get('lap')),
    passage: /^P\d{1,3}$/.test(query.get('passage') ?? '') ? query.get('passage') : null,
    stretch: pair(query.get('stretch')),
    zoom: pair(query.get('zoom')),
    cursor: /^\d+$/.test(query.get('at') ?? '') ? Number(query.get('at')) : null,
    until: /^\d+$/.test(query.get('until') ?? '') ? Number(query.get('until')) : null,
    hidden: lapKeys(query.get('hidden')),
    corner: decoded(query.get('corner')),
    full: /^\d{1,3}(\.\d{1,2})?$/.test(query.get('scale') ?? '') ? Number(query.get('scale')) / 1e4 : null,
    without: /^[a-z_]{1,40}$/.test(query.get('without') ?? '') ? query.get('without') : null,
    map: query.get('map') === 'lines' || query.get('map') === 'each' ? (query.get('map') as MapKind) : null,
    coloured: readRole(query.get('coloured') ?? ''),
    upwards: query.get('up') === 'driving',
    picture: PICTURES.find((kind) => kind === query.get('picture')) ?? null,
    of: readRole(query.get('of') ?? ''),
    over: readRole(query.get('over') ?? ''),
    banded: query.get('bands') === 'on',
    axis: query.get('axis') === 'time' ? 'time' : 'distance',
    version: whole(query.get('drawn')),
    staves: query.has('staves') ? readStaves(query.get('staves')) : null,
    folded: readStaves(query.get('folded')),
  };
}

export function writePlace(place: Place): string {
  const parts: [string, string][] = [];
  if (place.laps.length) parts.push(['laps', place.laps.join(',')]);
  if (place.reference) parts.push(['ref', place.reference]);
  if (place.chosen) parts.push(['lap', place.chosen]);
  if (place.passage) parts.push(['passage', place.passage]);
  else if (place.stretch) parts.push(['stretch', place.stretch.map(Math.round).join('-')]);
  if (place.zoom) parts.push(['zoom', place.zoom.map((m) => Math.round(m)).join('-')]);
  if (place.cursor !== null) parts.push(['at', String(Math.round(place.cursor))]);
  if (place.until !== null) parts.push(['until', String(Math.round(place.until))]);
  if (place.hidden.length) parts.push(['hidden', place.hidden.join(',')]);
  if (place.corner) parts.push(['corner', encodeURIComponent(encodeURIComponent(place.corner))]);
  if (place.full !== null) parts.push(['scale', String(Number((place.full * 1e4).toFixed(2)))]);
  if (place.axis === 'time') parts.push(['axis', 'time']);
  if (place.map) parts.push(['map', place.map]);
  if (place.map && place.coloured) parts.push(['coloured', writeRole(place.coloured)]);
  if (place.map && place.upwards) parts.push(['up', 'driving']);
  if (place.picture) parts.push(['picture', place.picture]);
  if (place.picture && place.of) parts.push(['of', writeRole(place.of)]);
  if (place.picture && place.over) parts.push(['over', writeRole(place.over)]);
  if (place.banded) parts.push(['bands', 'on']);
  if (place.without) parts.push(['without', place.without]);
  if (place.staves) parts.push(['staves', place.staves.map(writeStave).join(',')]);
  if (place.folded.length) parts.push(['folded', place.folded.map(writeStave).join(',')]);
  if (place.version !== null) parts.push(['drawn', String(place.version)]);
  // Commas and dots need no escape, and an address that can be read is easier to trust.
  return parts.map(([key, value]) => `${key}=${value}`).join('&');
}
