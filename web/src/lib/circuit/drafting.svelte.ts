// The drawing that is being changed: its steps back and forth, what is held, the one cursor and the part on view.
import type { Ground, MarkOut } from '$lib/api/client';
import {
  draftOf,
  handles,
  moved,
  onLap,
  same,
  snapped,
  type Draft,
  type Handle,
  type Kind,
  type Snap,
} from '$lib/circuit/draft';

/** A place snaps within so many pixels. */
const SNAP_PX = 9;
const MOST_STEPS = 200;
/** What is drawn is asked about when it has rested for so long. */
const REST_MS = 120;

export class Drafting {
  ground = $state.raw<Ground | null>(null);
  draft = $state.raw<Draft | null>(null);
  settled = $state.raw<Draft | null>(null);
  kind = $state<Kind>('corners');
  held = $state<string | null>(null);
  cursor = $state<number | null>(null);
  zoom = $state.raw<[number, number]>([0, 1]);
  snap = $state<Snap>({ braking: true, tens: false });
  /** a mark that is being moved: it is kept by itself when the hand lets go */
  markMoved = $state.raw<{ id: number; at_m: number } | null>(null);
  private back = $state.raw<Draft[]>([]);
  private forth = $state.raw<Draft[]>([]);
  private dragged: Draft | null = null;
  private later: ReturnType<typeof setTimeout> | undefined;

  /** Begin with a layout as it is; a draft that is under way stays while its version is the present one. */
  lay(ground: Ground): void {
    const before = this.ground;
    this.ground = ground;
    const goesOn =
      before !== null &&
      before.layout.id === ground.layout.id &&
      before.version.id === ground.version.id &&
      before.sector_set === ground.sector_set;
    if (goesOn) return;
    this.draft = this.settled = draftOf(ground);
    this.back = this.forth = [];
    this.held = null;
    if (before?.layout.id !== ground.layout.id) this.zoom = [0, ground.layout.length_m];
    else this.zoom = [this.zoom[0], Math.min(this.zoom[1], ground.layout.length_m)];
  }

  get length(): number {
    return this.ground?.layout.length_m ?? 1;
  }

  get changed(): boolean {
    return this.ground !== null && this.draft !== null && !same(this.draft, draftOf(this.ground));
  }

  get marks(): MarkOut[] {
    const own = this.markMoved;
    return (this.ground?.marks ?? []).map((mark) =>
      own?.id === mark.id ? { ...mark, at_m: own.at_m } : mark,
    );
  }

  get handles(): Handle[] {
    return this.ground && this.draft
      ? handles(this.draft, this.kind, this.ground, this.marks, this.held)
      : [];
  }

  get canUndo(): boolean {
    return this.back.length > 0;
  }

  get canRedo(): boolean {
    return this.forth.length > 0;
  }

  /** One step that can be taken back. */
  change(next: Draft): void {
    if (!this.draft || same(next, this.draft)) return;
    this.back = [...this.back.slice(-MOST_STEPS), this.draft];
    this.forth = [];
    this.put(next);
  }

  undo(): void {
    const before = this.back.at(-1);
    if (!before || !this.draft) return;
    this.back = this.back.slice(0, -1);
    this.forth = [...this.forth, this.draft];
    this.put(before);
  }

  redo(): void {
    const next = this.forth.at(-1);
    if (!next || !this.draft) return;
    this.forth = this.forth.slice(0, -1);
    this.back = [...this.back, this.draft];
    this.put(next);
  }

  discard(): void {
    if (this.ground) this.change(draftOf(this.ground));
    this.held = null;
  }

  /** A hand takes hold; all it does until it lets go is one step. */
  hold(id: string): void {
    this.held = id;
    this.dragged = this.draft;
  }

  /** The held handle is at a place; `metres` are those of a pixel, 0 where nothing is to snap. */
  drag(id: string, place: number, metres: number): void {
    const { ground, draft } = this;
    if (!ground || !draft) return;
    const on = onLap(place, this.length, ground.closed && id === 'start');
    const at = metres ? snapped(on, SNAP_PX * metres, this.snap, ground, draft.corners) : on;
    this.move(id, at);
  }

  private move(id: string, at: number): void {
    if (!this.draft) return;
    this.cursor = at;
    if (id.startsWith('mark:')) this.markMoved = { id: Number(id.slice(5)), at_m: at };
    else this.put(moved(this.draft, id, at));
  }

  letGo(): void {
    const before = this.dragged;
    this.dragged = null;
    if (before && this.draft && !same(before, this.draft)) {
      this.back = [...this.back.slice(-MOST_STEPS), before];
      this.forth = [];
    }
  }

  /** A place that was typed, or stepped to by a key: one step by itself. */
  place(id: string, at: number): void {
    if (!this.ground || !this.draft) return;
    const on = onLap(at, this.length, this.ground.closed);
    if (id.startsWith('mark:')) this.move(id, on);
    else {
      this.cursor = on;
      this.change(moved(this.draft, id, on));
    }
  }

  private put(next: Draft): void {
    this.draft = next;
    clearTimeout(this.later);
    this.later = setTimeout(() => (this.settled = this.draft), REST_MS);
  }

  zoomAt(place: number, factor: number): void {
    const [from, to] = this.zoom;
    const span = Math.min(Math.max((to - from) * factor, 60), this.length);
    const share = (place - from) / Math.max(to - from, 1e-9);
    this.view(place - share * span, span);
  }

  pan(metres: number): void {
    this.view(this.zoom[0] + metres, this.zoom[1] - this.zoom[0]);
  }

  /** The part of the lap around a place, near enough to work on it. */
  show(place: number): void {
    const span = this.zoom[1] - this.zoom[0];
    if (place >= this.zoom[0] && place <= this.zoom[1]) return;
    this.view(place - span / 2, span);
  }

  whole(): void {
    this.zoom = [0, this.length];
  }

  private view(from: number, span: number): void {
    const low = Math.min(Math.max(from, 0), this.length - span);
    this.zoom = [low, low + span];
  }

  get zoomed(): boolean {
    return this.zoom[1] - this.zoom[0] < this.length - 1;
  }
}
