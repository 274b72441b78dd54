// The desk: line-up, one cursor, one stretch, zoom. State only; drawing is elsewhere.
import type { Card, DeskLap, DeskLineUp, Doubt, Passage } from '$lib/api/client';
import { deltaOf, onGrid, type Curve, type Curves } from '$lib/desk/curves';
import type { Place } from '$lib/desk/place';

export const STAVES = ['delta', 'speed', 'brake_pressure', 'throttle'];
export const MOST_LAPS = 24;
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
  chosen = $state<string | null>(null);
  cursor = $state<number | null>(null);
  /** the cause without which the chosen lap is shown, too, and of which lap and part that was asked */
  private wish = $state.raw<{ cause: string; of: string } | null>(null);
  /** the chosen lap's speed without that cause, where it is known */
  rebuilt = $state.raw<Curve | null>(null);
  /** of a passage with several corners, the one whose figures are asked for */
  corner = $state<string | null>(null);
  part = $state.raw<Part | null>(null);
  /** the stretch that the card is asked for: while one is being dragged, still the one before */
  settled = $state.raw<Part | null>(null);
  zoom = $state.raw<[number, number]>([0, 1]);
  /** the zoom of the pictures that were drawn last; they are moved until the sharp ones follow */
  drawn = $state.raw<[number, number]>([0, 1]);
  staves = $state<string[]>([...STAVES]);
  folded = $state<string[]>([]);

  readonly length = $derived(this.lineUp?.layout.length_m ?? 1);
  readonly laps = $derived<DeskLap[]>(this.lineUp?.laps ?? []);
  readonly reference = $derived(this.laps.find((lap) => lap.key === this.lineUp?.reference));
  readonly chosenLap = $derived(this.laps.find((lap) => lap.key === this.chosen));
  readonly passages = $derived<Passage[]>(this.lineUp?.layout.passages ?? []);
  /** Only as long as it is about the lap and the part on show. */
  readonly without = $derived(this.wish?.of === this.shown() ? this.wish.cause : null);
  readonly zoomed = $derived(this.zoom[0] > 0.5 || this.zoom[1] < this.length - 0.5);
  readonly deltas = $derived.by<Record<string, Float32Array>>(() => {
    const found: Record<string, Float32Array> = {};
    const base = this.reference && this.curves?.of(this.reference.curves, 'time');
    if (!base || !this.curves) return found;
    for (const lap of this.laps) {
      const time = this.curves.of(lap.curves, 'time');
      if (time) found[lap.key] = deltaOf(this.curves.s, time, base, this.part?.from ?? 0);
    }
    return found;
  });

  /** A channel of a lap on the grid, or undefined where it was not logged. */
  curve(key: string, role: string): Curve | undefined {
    if (role === 'delta') return this.deltas[key];
    const lap = this.laps.find((item) => item.key === key);
    return lap && this.curves?.of(lap.curves, role);
  }

  /** Standard deviation of a lap's delta on the grid; undefined while the delta starts somewhere else. */
  deltaDoubt(key: string): Float32Array | undefined {
    const lap = this.laps.find((item) => item.key === key);
    if (!this.doubt || !this.curves || this.doubt.from !== (this.part?.from ?? 0)) return undefined;
    const { s_m, laps } = this.doubt.of;
    const found = laps.find((item) => item.lap === lap?.curves);
    return found && onGrid(this.curves.s, s_m, found.delta_u_s);
  }

  private shown(): string {
    const part = this.settled;
    return `${this.chosen} ${this.lineUp?.reference} ${part?.passage ?? `${part?.from} ${part?.to}`}`;
  }

  /** Show the chosen lap without a cause, too; once more takes it away. */
  wonder(cause: string | null): void {
    this.wish = cause === null || cause === this.without ? null : { cause, of: this.shown() };
  }

  lay(lineUp: DeskLineUp, place: Place): void {
    this.lineUp = lineUp;
    const keys = lineUp.laps.map((lap) => lap.key);
    const kept = [place.chosen, this.chosen].find((key) => key && keys.includes(key));
    this.chosen = kept ?? keys.find((key) => key !== lineUp.reference) ?? lineUp.reference;
    const length = lineUp.layout.length_m;
    const passage = lineUp.layout.passages.find((p) => p.name === place.passage);
    if (passage) this.part = partOf(passage);
    else if (place.stretch && place.stretch[1] - place.stretch[0] >= 5 && place.stretch[1] <= length + 1)
      this.part = { from: place.stretch[0], to: Math.min(place.stretch[1], length), passage: null };
    else this.part = null;
    this.settled = this.part;
    this.zoom = place.zoom ? this.inside(place.zoom[0], place.zoom[1]) : [0, length];
    this.drawn = this.zoom;
    this.cursor = place.cursor === null ? null : Math.min(place.cursor, length);
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
      without: this.without,
      staves: this.staves.join() === STAVES.join() ? null : this.staves,
      version: this.lineUp?.version ?? null,
    };
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
    this.zoom = this.inside(this.zoom[0] + metres, this.zoom[1] + metres);
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
  }

  /** No stretch any more. */
  clear(): void {
    this.part = this.settled = null;
  }

  choosePassage(passage: Passage): void {
    this.part = this.settled = partOf(passage);
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
    const index = this.laps.findIndex((lap) => lap.key === this.chosen);
    this.chosen = this.laps[(index + by + this.laps.length) % this.laps.length]?.key ?? null;
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

  /** One step out: first the zoom, then the stretch. */
  out(): void {
    if (this.zoomed) this.whole();
    else this.clear();
  }

  moveCursor(metres: number): void {
    const from = this.cursor ?? this.zoom[0];
    this.cursor = Math.min(Math.max(from + metres, 0), this.length);
    if (this.cursor < this.zoom[0] || this.cursor > this.zoom[1])
      this.pan(this.cursor < this.zoom[0] ? this.cursor - this.zoom[0] : this.cursor - this.zoom[1]);
  }
}

function partOf(passage: Passage): Part {
  return { from: passage.from_m, to: passage.to_m, passage: passage.name };
}
