// What the place "Laps" shows, as an address that can be sent: read and written in one place.
import type { By, Show } from '$lib/laps/sheet';
import { readView, writeView, type TableView } from '$lib/parts/table/columns';

export const SHOWS = ['times', 'own', 'all', 'against'] as const;
export const VIEWS = ['sheet', 'where', 'long', 'car', 'all'] as const;
export type View = (typeof VIEWS)[number];

/** How the list of all laps is narrowed on the server. */
export interface Narrowed {
  order: 'newest' | 'quickest';
  layout: number | null;
  driver: number | null;
  car: number | null;
  since: string;
  until: string;
  counting: boolean;
}

export interface LapsPlace {
  event: number | null;
  driver: number | null;
  columns: 'sectors' | 'passages';
  show: Show;
  against: string | null;
  onlyCounting: boolean;
  view: View;
  by: By;
  windows: string;
  over: string;
  figures: string;
  table: TableView;
  narrowed: Narrowed;
}

const WINDOWS = '4,8,12';
/** columns by which either table sorts or filters; figures bring their own */
const TABLE_COLUMNS =
  'driver day run lap time beyond circuit aside car conditions tyres kind event note'.split(' ');

export function readLaps(query: URLSearchParams): LapsPlace {
  const text = (name: string, known: RegExp, usual = '') => known.exec(query.get(name) ?? '')?.[0] ?? usual;
  const whole = (name: string) => Number(text(name, /^\d{1,9}$/)) || null;
  const figures = text('figures', /^[a-z0-9_:,]{1,2000}$/);
  return {
    event: whole('event'),
    driver: whole('driver'),
    columns: query.get('columns') === 'passages' ? 'passages' : 'sectors',
    show: SHOWS.find((own) => own === query.get('show')) ?? 'times',
    against: text('against', /^\d{1,9}-\d{1,6}$/) || null,
    onlyCounting: query.get('only') === 'counting',
    view: VIEWS.find((own) => own === query.get('view')) ?? 'sheet',
    by: query.get('by') === 'best' ? 'best' : 'median',
    windows: text('windows', /^\d{1,3}(,\d{1,3}){0,5}$/, WINDOWS),
    over: text('over', /^(car|driver):\d{1,9}$/),
    figures,
    table: readView(query.get('table'), [...TABLE_COLUMNS, ...figures.split(',')]),
    narrowed: {
      order: query.get('order') === 'quickest' ? 'quickest' : 'newest',
      layout: whole('layout'),
      driver: whole('who'),
      car: whole('car'),
      since: text('since', /^\d{4}-\d{2}-\d{2}$/),
      until: text('until', /^\d{4}-\d{2}-\d{2}$/),
      counting: query.get('counting') === 'only',
    },
  };
}

/** The query of an address; what is as usual is left out. */
export function writeLaps(place: LapsPlace): string {
  const table = writeView(place.table);
  const { narrowed } = place;
  const parts: [string, string | number | null | false][] = [
    ['event', place.event],
    ['driver', place.driver],
    ['columns', place.columns !== 'sectors' && place.columns],
    ['show', place.show !== 'times' && place.show],
    ['against', place.against],
    ['only', place.onlyCounting && 'counting'],
    ['view', place.view !== 'sheet' && place.view],
    ['by', place.by !== 'median' && place.by],
    ['windows', place.windows !== WINDOWS && place.windows],
    ['over', place.view === 'car' && place.over],
    ['figures', place.view === 'car' && place.figures],
    ['table', table && encodeURIComponent(table)],
  ];
  if (place.view === 'all')
    parts.push(
      ['order', narrowed.order === 'quickest' && 'quickest'],
      ['layout', narrowed.layout],
      ['who', narrowed.driver],
      ['car', narrowed.car],
      ['since', narrowed.since],
      ['until', narrowed.until],
      ['counting', narrowed.counting && 'only'],
    );
  return parts
    .filter(([, value]) => value)
    .map(([name, value]) => `${name}=${value}`)
    .join('&');
}
