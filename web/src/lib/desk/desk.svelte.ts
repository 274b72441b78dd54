// The desk: line-up, one cursor, one stretch, zoom. State only; drawing is elsewhere.
import type { Card, DeskLap, DeskLineUp, DeskNote, Doubt, Passage, Samples } from '$lib/api/client';
import {
  deltaOf,
  differenceOf,
  onGrid,
  type Band,
  type Bands,
  type Curve,
  type Curves,
} from '$lib/desk/curves';
import { registry } from '$lib/quantities/registry.svelte';
import { inOrder, moved, sortedBy, unique, type Measure } from '$lib/desk/order';
import { rolesOf, type MapKind, type Picture, type Place } from '$lib/desk/place';
import { distanceAxis, timeAxis, type Axis, type AxisKind } from '$lib/draw/axis';

export const STAVES = ['delta', 'speed', 'brake_pressure', 'throttle'];
/** What the browser makes of curves that it has: differences to the reference. */
export const OWN = ['delta', 'offset_gap', 'loss_rate'];
/** Channels of places, not of a lap's own clock. */
const OF_PLACES = ['delta', 'offset_gap', 'loss_rate', 'sure_rate'];
export const MOST_LAPS = 24;
/** The middle half of fewer laps says nothing. */
const FEWEST_OF_BAND = 3;
const SHORTEST_M = 20;
const SHORTEST_STRETCH_M = 5;

export interface Part {
  from: number;
  to: number;
  passage: string | null;
}

export class Desk {
  lineUp = $state.raw<DeskLineUp | null>(null);
  curves = $state.raw<Curves | null>(null);
  card = $state.raw<Card | null>(null);
  /** what is unsure of the deltas that start with 0 at `from` */
  doubt = $state.raw<{ from: number; of: Doubt } | null>(null);
  /** where laps were held up, by the names of their curves */
  held = $state.raw<Record<string, [number, number][]>>({});
  chosen = $state<string | null>(null);
  cursor = $state<number | null>(null);
  /** the other end of what is measured from the cursor */
  until = $state<number | null>(null);
  /** the cause without which the chosen lap is shown, too, and of which lap and part that was asked */
  private wish = $state.raw<{ cause: string; of: string } | null>(null);
  /** the chosen lap's speed without that cause, where it is known */
  rebuilt = $state.raw<Curve | null>(null);
  /** of a passage or stretch with several corners, the one whose figures are asked for */
  corner = $state<string | null>(null);
  part = $state.raw<Part | null>(null);
  /** the stretch that the card is asked for: while one is being dragged, still the one before */
  settled = $state.raw<Part | null>(null);
  zoom = $state.raw<[number, number]>([0, 1]);
  /** the zoom of the pictures that were drawn last; they are moved until the sharp ones follow */
  drawn = $state.raw<[number, number]>([0, 1]);
  staves = $state.raw<string[]>([...STAVES]);
  /** what runs from left to right */
  axis = $state<AxisKind>('distance');
  map = $state<MapKind | null>(null);
  /** what colours the chosen lap on the large map; null: the drivers' colours */
  coloured = $state<string | null>(null);
  /** whether the driving direction points up there */
  upwards = $state(false);
  picture = $state<Picture | null>(null);
  /** the channel that a picture is of, and the one that runs from left to right in it; null: what is usual there */
  of = $state<string | null>(null);
  over = $state<string | null>(null);
  /** whether the laps of a driver who has several give way to what that driver usually does */
  banded = $state(false);
  /** curves of pedals that have no stave */
  pedals = $state.raw<Curves | null>(null);
  /** what drivers usually do, of these laps and against this reference; deltas start with 0 at `from` */
  bands = $state.raw<{ from: number; of: Bands } | null>(null);
  /** what people wrote about the circuit and these runs, and which of it is told in full */
  notes = $state.raw<DeskNote[]>([]);
  told = $state<number | null>(null);
  /** what the loggers wrote, while one is close enough to see it */
  samples = $state.raw<Samples['channels']>([]);
  /** what is shown where the address says nothing of staves */
  usual = $state.raw<string[]>([...STAVES]);
  folded = $state.raw<string[]>([]);
  /** heights of staves that were changed, in pixels */
  heights = $state.raw<Record<string, number>>({});
  /** laps that lie there and are not drawn */
  hidden = $state.raw<string[]>([]);
  /** the loss rate that gets the whole colour, s/m; null: chosen by what is lost */
  full = $state<number | null>(null);

  readonly length = $derived(this.lineUp?.layout.length_m ?? 1);
  readonly laps = $derived<DeskLap[]>(this.lineUp?.laps ?? []);
  readonly shown = $derived(this.laps.filter((lap) => !this.hidden.includes(lap.key)));
  readonly reference = $derived(this.laps.find((lap) => lap.key === this.lineUp?.reference));
  readonly chosenLap = $derived(this.laps.find((lap) => lap.key === this.chosen));
  readonly passages = $derived<Passage[]>(this.lineUp?.layout.passages ?? []);
  /** Only as long as it is about the lap and the part on show. */
  readonly without = $derived(this.wish?.of === this.about() ? this.wish.cause : null);
  readonly zoomed = $derived(this.zoom[0] > 0.5 || this.zoom[1] < this.length - 0.5);
  readonly roles = $derived(unique(this.staves.flatMap(rolesOf)));
  /** where the delta starts: a stretch that grows at its other end draws nothing anew */
  readonly from = $derived(this.part?.from ?? 0);
  readonly along = $derived.by<Axis | undefined>(() => {
    const { curves, reference } = this;
    if (!curves) return undefined;
    const base = reference && curves.of(reference.curves, 'time');
    return this.axis === 'time' && base ? timeAxis(curves.s, base, this.from) : distanceAxis(curves.s);
  });
  readonly deltas = $derived.by<Record<string, Float32Array>>(() => {
    const found: Record<string, Float32Array> = {};
    const base = this.reference && this.curves?.of(this.reference.curves, 'time');
    if (!base || !this.curves) return found;
    for (const lap of this.laps) {
      const time = this.curves.of(lap.curves, 'time');
      if (time) found[lap.key] = deltaOf(this.curves.s, time, base, this.from);
    }
    return found;
  });
  readonly gaps = $derived.by<Record<string, Float32Array>>(() => {
    const found: Record<string, Float32Array> = {};
    const base = this.reference && this.curves?.of(this.reference.curves, 'offset');
    if (!base || !this.curves) return found;
    for (const lap of this.laps) {
      const own = this.curves.of(lap.curves, 'offset');
      if (own) found[lap.key] = differenceOf(own, base);
    }
    return found;
  });

  /** A channel of a lap on the grid, or undefined where it was not logged. */
  curve(key: string, role: string): Curve | undefined {
    if (role === 'delta') return this.deltas[key];
    if (role === 'offset_gap') return this.gaps[key];
    const lap = this.laps.find((item) => item.key === key);
    return lap && this.curves?.of(lap.curves, role);
  }

  /** Standard deviation of a lap's delta on the grid; undefined while the delta starts somewhere else. */
  deltaDoubt(key: string): Float32Array | undefined {
    const lap = this.laps.find((item) => item.key === key);
    if (!this.doubt || !this.curves || this.doubt.from !== this.from) return undefined;
    const { s_m, laps } = this.doubt.of;
    const found = laps.find((item) => item.lap === lap?.curves);
    return found && onGrid(this.curves.s, s_m, found.delta_u_s);
  }

  /** A channel as it is drawn over the axis. */
  drawnCurve(key: string, role: string): Curve | undefined {
    const values = this.curve(key, role);
    const { along } = this;
    if (!values || !along || along.kind === 'distance') return values;
    if (OF_PLACES.includes(role)) return along.alongPlaces(values);
    return along.alongLap(values, this.curve(key, 'time'), registry.stepped(role));
  }

  /** What a driver usually does with a channel, over the axis; undefined where bands are not asked for. */
  drawnBand(driver: number, role: string): Band | undefined {
    if (!this.banded || !this.bands || (role === 'delta' && this.bands.from !== this.from)) return undefined;
    const found = this.bands.of.of(driver, role);
    const { along } = this;
    if (!found || !along) return found;
    return {
      low: along.alongPlaces(found.low),
      middle: along.alongPlaces(found.middle),
      high: along.alongPlaces(found.high),
    };
  }

  /** Drivers for whom a band can stand, each with the first of their laps. */
  readonly bandable = $derived.by<DeskLap[]>(() => {
    const driven = this.shown.filter((lap) => !lap.made && lap.driver);
    const of = (lap: DeskLap): DeskLap[] => driven.filter((other) => other.driver?.id === lap.driver?.id);
    return driven.filter((lap) => of(lap)[0] === lap && of(lap).length >= FEWEST_OF_BAND);
  });

  /** Runs of the line-up, as addresses name them. */
  readonly runs = $derived(unique(this.laps.flatMap((lap) => lap.run ?? [])).join(','));
  /** Notes on places, of all laps or of one that is on show. */
  readonly placed = $derived(
    this.notes.filter(
      (note) => note.at_m !== null && (!note.lap || this.shown.some((lap) => lap.key === note.lap)),
    ),
  );

  /** Half the width within which a delta is unsure, over the axis: ± in all our texts is two standard deviations. */
  drawnDoubt(key: string): Curve | undefined {
    const u = this.deltaDoubt(key)?.map((value) => 2 * value);
    return u && (this.along?.alongPlaces(u) ?? u);
  }

  /** Which lap of its driver a lap is among those that are drawn: 0 for the first. */
  nth(key: string): number {
    const lap = this.laps.find((item) => item.key === key);
    if (!lap || lap.made) return 0;
    const own = this.shown.filter((item) => !item.made && item.driver?.id === lap.driver?.id);
    return Math.max(
      0,
      own.findIndex((item) => item.key === key),
    );
  }

  private about(): string {
    const part = this.settled;
    return `${this.chosen} ${this.lineUp?.reference} ${part?.passage ?? `${part?.from} ${part?.to}`}`;
  }

  /** Show the chosen lap without a cause, too; once more takes it away. */
  wonder(cause: string | null): void {
    this.wish = cause === null || cause === this.without ? null : { cause, of: this.about() };
  }

  lay(lineUp: DeskLineUp, place: Place): void {
    this.lineUp = { ...lineUp, laps: inOrder(lineUp.laps, place.laps) };
    const keys = this.laps.map((lap) => lap.key);
    this.hidden = place.hidden.filter((key) => keys.includes(key));
    this.full = place.full;
    this.axis = place.axis;
    this.banded = place.banded;
    this.map = place.map;
    this.coloured = place.coloured;
    this.upwards = place.upwards;
    this.picture = place.picture;
    this.of = place.of;
    this.over = place.over;
    const kept = [place.chosen, this.chosen].find((key) => key && keys.includes(key));
    this.chosen = kept ?? keys.find((key) => key !== lineUp.reference) ?? lineUp.reference;
    const length = lineUp.layout.length_m;
    const passage = lineUp.layout.passages.find((p) => p.name === place.passage);
    if (passage) this.part = partOf(passage);
    else if (place.stretch && place.stretch[1] - place.stretch[0] >= 5 && place.stretch[1] <= length + 1)
      this.part = { from: place.stretch[0], to: Math.min(place.stretch[1], length), passage: null };
    else this.part = null;
    this.settled = this.part;
    const corners = passage?.corners ?? (this.part ? lineUp.layout.corners.map((one) => one.name) : []);
    this.corner = corners.includes(place.corner ?? '') ? place.corner : null;
    this.zoom = place.zoom ? this.inside(place.zoom[0], place.zoom[1]) : [0, length];
    this.drawn = this.zoom;
    this.cursor = place.cursor === null ? null : Math.min(place.cursor, length);
    this.until = place.until === null || this.cursor === null ? null : Math.min(place.until, length);
    this.wonder(null);
    if (place.without && this.part) this.wonder(place.without);
  }

  place(): Place {
    return {
      laps: this.laps.map((lap) => lap.key),
      reference: this.lineUp?.reference ?? null,
      run: null,
      event: null,
      chosen: this.chosen,
      passage: this.part?.passage ?? null,
      stretch: this.part && !this.part.passage ? [this.part.from, this.part.to] : null,
      zoom: this.zoomed ? this.zoom : null,
      cursor: this.cursor,
      until: this.until,
      hidden: this.hidden,
      corner: this.part ? this.corner : null,
      full: this.full,
      axis: this.axis,
      banded: this.banded,
      map: this.map,
      coloured: this.coloured,
      upwards: this.upwards,
      picture: this.picture,
      of: this.of,
      over: this.over,
      without: this.without,
      staves: this.staves.join() === this.usual.join() ? null : this.staves,
      folded: this.folded.filter((stave) => this.staves.includes(stave)),
      version: this.lineUp?.version ?? null,
    };
  }

  /** What going back leads to: everything but cursor, zoom and what is only being looked at. */
  selection(): string {
    const { laps, reference, chosen, passage, stretch, hidden, corner, staves } = this.place();
    const rested = this.settled === this.part ? stretch : null;
    return JSON.stringify([laps, reference, chosen, passage, rested, hidden, corner, staves]);
  }

  private inside(from: number, to: number): [number, number] {
    const span = Math.min(Math.max(to - from, SHORTEST_M), this.length);
    const start = Math.min(Math.max(from, 0), this.length - span);
    return [start, start + span];
  }

  zoomAt(place: number, factor: number): void {
    const [from, to] = this.zoom;
    this.zoom = this.inside(place - (place - from) * factor, place + (to - place) * factor);
  }

  pan(metres: number): void {
    const [from, to] = this.zoom;
    this.zoom = this.inside(from + metres, to + metres);
  }

  whole(): void {
    this.zoom = [0, this.length];
  }

  /** A stretch is being marked; it counts once it rests. */
  drag(from: number, to: number): void {
    const [a, b] = from < to ? [from, to] : [to, from];
    this.part = { from: Math.max(0, a), to: Math.min(this.length, b), passage: null };
  }

  rest(): void {
    if (this.part && this.part.passage === null && this.part.to - this.part.from < SHORTEST_STRETCH_M)
      this.part = null;
    this.settled = this.part;
    this.corner = null;
  }

  /** A stretch that was typed, or that a sector or the data names. */
  mark(from: number, to: number): void {
    this.drag(from, to);
    this.rest();
    if (this.part && this.zoomed) this.open();
  }

  /** No stretch any more. */
  clear(): void {
    this.part = this.settled = null;
    this.corner = null;
  }

  choosePassage(passage: Passage): void {
    this.part = this.settled = partOf(passage);
    this.corner = null;
    if (this.zoomed) this.open();
    const corner = this.lineUp?.layout.corners.find((c) => c.name === passage.corners[0]);
    if (corner) this.cursor = corner.apex_m;
  }

  /** The passage `by` places on from the chosen one, or from the cursor. */
  step(by: 1 | -1): void {
    const count = this.passages.length;
    if (!count) return;
    let index = this.passages.findIndex((p) => p.name === this.part?.passage);
    if (index < 0) {
      const here = this.part?.from ?? this.cursor ?? -1;
      const after = this.passages.findIndex((p) => p.from_m > here);
      index = by > 0 ? (after < 0 ? count : after) - 1 : after < 0 ? count : after;
    }
    const next = this.passages[(index + by + count) % count];
    if (next) this.choosePassage(next);
  }

  stepLap(by: 1 | -1): void {
    const among = this.shown.length ? this.shown : this.laps;
    const index = among.findIndex((lap) => lap.key === this.chosen);
    this.chosen = among[(index + by + among.length) % among.length]?.key ?? null;
  }

  /** Zoom in on the marked stretch, with a little room on either side. */
  open(): void {
    if (!this.part) return;
    const { from, to } = this.part;
    // Of one that crosses the line, what lies before it.
    const end = from < to ? to : this.length;
    const room = Math.max(15, (end - from) * 0.06);
    this.zoom = this.inside(from - room, end + room);
  }

  /** One step out: what is measured, then the zoom, then the stretch. */
  out(): void {
    if (this.until !== null) this.until = null;
    else if (this.zoomed) this.whole();
    else this.clear();
  }

  /** The cursor on a place that somebody wants to see, and the view around it. */
  look(place: number): void {
    this.cursor = Math.min(Math.max(place, 0), this.length);
    if (place < this.zoom[0] || place > this.zoom[1]) {
      const half = (this.zoom[1] - this.zoom[0]) / 2;
      this.zoom = this.inside(place - half, place + half);
    }
  }

  moveCursor(metres: number): void {
    const from = this.cursor ?? this.zoom[0];
    this.cursor = Math.min(Math.max(from + metres, 0), this.length);
    if (this.cursor < this.zoom[0] || this.cursor > this.zoom[1])
      this.pan(this.cursor < this.zoom[0] ? this.cursor - this.zoom[0] : this.cursor - this.zoom[1]);
  }

  swapAxis(): void {
    this.axis = this.axis === 'time' ? 'distance' : 'time';
  }

  /** Measure from the cursor's place on; once more ends it. */
  measure(): void {
    this.until = this.until === null ? this.cursor : null;
  }

  private reorder(laps: DeskLap[]): void {
    if (this.lineUp) this.lineUp = { ...this.lineUp, laps };
  }

  /** A lap of the line-up one place up or down. */
  move(key: string, by: 1 | -1): void {
    this.reorder(moved(this.laps, key, by));
  }

  /** The quickest first, by lap time or by one sector; the reference stays on top. */
  sort(by: Measure): void {
    this.reorder(sortedBy(this.laps, by, this.lineUp?.reference ?? null));
  }

  /** A stave one place up or down. */
  moveStave(stave: string, by: 1 | -1): void {
    const from = this.staves.indexOf(stave);
    const to = from + by;
    if (from < 0 || to < 0 || to >= this.staves.length) return;
    const found = this.staves.filter((item) => item !== stave);
    found.splice(to, 0, stave);
    this.staves = found;
  }

  /** Hide a lap, or show it again; the reference is always drawn. */
  hide(key: string): void {
    if (key === this.lineUp?.reference) return;
    this.hidden = this.hidden.includes(key) ? this.hidden.filter((k) => k !== key) : [...this.hidden, key];
  }

  /** Only this lap beside the reference; all of them again where it is the only one already. */
  alone(key: string): void {
    const others = this.laps.map((lap) => lap.key).filter((k) => k !== key && k !== this.lineUp?.reference);
    this.hidden = others.every((k) => this.hidden.includes(k)) ? [] : others;
    this.chosen = key;
  }
}

function partOf(passage: Passage): Part {
  return { from: passage.from_m, to: passage.to_m, passage: passage.name };
}
