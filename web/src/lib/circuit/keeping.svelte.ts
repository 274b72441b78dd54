// What changes what is kept of a circuit: each with its note and the way back; what went wrong is told over the page.
import { api, ApiProblem, done, type EdgesIn, type MarkOut } from '$lib/api/client';
import { asked } from '$lib/circuit/draft';
import type { Outlined } from '$lib/circuit/outline.svelte';
import type { Drafting } from '$lib/circuit/drafting.svelte';
import { follow, noteAction, noteUndo, sendUnlessChanged } from '$lib/parts/notes.svelte';
import { texts } from '$lib/words';

const t = texts.circuit;
/** how far beside the road a mark is put that stands on one of its sides */
const BESIDE_M = 9;

export class Keeping {
  busy = $state(false);
  /** somebody else changed the circuit meanwhile */
  conflict = $state.raw<ApiProblem | null>(null);
  trouble = $state.raw<unknown>(null);

  constructor(
    private readonly drafting: Drafting,
    private readonly refresh: () => Promise<void>,
  ) {}

  private get id(): number {
    return this.drafting.ground?.layout.id ?? 0;
  }

  private get path(): { path: { layout_id: number } } {
    return { path: { layout_id: this.id } };
  }

  /** One thing at a time; true where it was done. */
  private async act(what: () => Promise<void>): Promise<boolean> {
    if (this.busy) return false;
    this.busy = true;
    this.trouble = null;
    try {
      await what();
      return true;
    } catch (error) {
      this.tell(error);
      return false;
    } finally {
      this.busy = false;
    }
  }

  tell(error: unknown): void {
    if (error instanceof ApiProblem && error.code === 'moved-on') this.conflict = error;
    else this.trouble = error;
  }

  /** Make the drawing the present state. */
  keep(): Promise<boolean> {
    return this.act(async () => {
      const { draft, ground } = this.drafting;
      if (!draft || !ground) return;
      const body = asked(draft, ground);
      const kept = await done(api.POST('/api/layouts/{layout_id}/versions', { params: this.path, body }));
      noteAction(t.kept(kept.summary), kept.action, this.refresh);
      await this.refresh();
    });
  }

  /** Edges of the road and the pit lane: a version of their own, beside what is being drawn. */
  private edges(body: Omit<EdgesIn, 'base'>): Promise<boolean> {
    return this.act(async () => {
      const base = this.drafting.ground?.version.id ?? 0;
      const kept = await done(
        api.POST('/api/layouts/{layout_id}/edges', { params: this.path, body: { ...body, base } }),
      );
      noteAction(t.kept(kept.summary), kept.action, this.refresh);
      await this.refresh();
    });
  }

  changeEdge(what: Outlined, edge: EdgesIn['left']): Promise<boolean> {
    return this.edges({ [what]: edge });
  }

  readEdges(file: string): Promise<boolean> {
    return this.edges({ file });
  }

  private async makePresent(version: number): Promise<void> {
    const params = { path: { layout_id: this.id, version_id: version } };
    const kept = await done(api.POST('/api/layouts/{layout_id}/versions/{version_id}/current', { params }));
    noteAction(t.madePresent(kept.version), kept.action, this.refresh);
  }

  goBack(version: number): Promise<boolean> {
    return this.act(async () => {
      await this.makePresent(version);
      await this.refresh();
    });
  }

  /** Of two coaches the second chooses: the own drawing, on the version it began from … */
  async keepMine(): Promise<void> {
    const own = this.drafting.ground;
    this.conflict = null;
    if (own && (await this.act(() => this.makePresent(own.version.id)))) await this.keep();
  }

  /** … or what is there now. */
  async takeTheirs(): Promise<void> {
    this.conflict = null;
    await this.refresh();
  }

  private async cutDay(day: number, id: number, name: string): Promise<void> {
    const params = { path: { event_id: day } };
    const kept = await done(api.POST('/api/events/{event_id}/sectors', { params, body: { sector_set: id } }));
    noteAction(t.setChosen(name), kept.action, this.refresh);
    await this.refresh();
  }

  chooseSet(id: number): Promise<boolean> {
    return this.act(async () => {
      const own = this.drafting.ground;
      if (own?.day == null) return;
      await this.cutDay(own.day, id, own.sets.find((set) => set.id === id)?.name ?? '');
    });
  }

  addSet(name: string): Promise<boolean> {
    return this.act(async () => {
      const own = this.drafting.ground;
      if (!own) return;
      const body = { name, copy_of: own.sector_set };
      const made = await done(api.POST('/api/layouts/{layout_id}/sets', { params: this.path, body }));
      if (own.day !== null) await this.cutDay(own.day, made.id, name);
      else await this.refresh();
    });
  }

  removeSet(id: number): Promise<boolean> {
    return this.act(async () => {
      const name = this.drafting.ground?.sets.find((set) => set.id === id)?.name ?? '';
      const params = { path: { layout_id: this.id, set_id: id } };
      const gone = await done(api.DELETE('/api/layouts/{layout_id}/sets/{set_id}', { params }));
      noteAction(t.setRemoved(name), gone.action, this.refresh);
      await this.refresh();
    });
  }

  addMark(name: string, side: MarkOut['side'], at: number): Promise<boolean> {
    return this.act(async () => {
      const offset = { left: BESIDE_M, right: -BESIDE_M, '': 0 }[side];
      const body = { name, side, at_m: at, offset_m: offset };
      const made = await done(api.POST('/api/layouts/{layout_id}/marks', { params: this.path, body }));
      noteUndo(t.markAdded(name), () => this.takeMark(made));
      await this.refresh();
    });
  }

  private async takeMark(mark: MarkOut): Promise<void> {
    const params = { path: { layout_id: this.id, mark_id: mark.id } };
    await done(api.DELETE('/api/layouts/{layout_id}/marks/{mark_id}', { params }));
    await this.refresh();
  }

  private async putMark(mark: MarkOut, before?: MarkOut): Promise<boolean> {
    const params = { path: { layout_id: this.id, mark_id: mark.id } };
    const body = { name: mark.name, side: mark.side, at_m: mark.at_m, offset_m: mark.offset_m };
    const was = before && { name: before.name, latitude: before.latitude, longitude: before.longitude };
    const send = (insisting: boolean) =>
      done(
        api.PATCH('/api/layouts/{layout_id}/marks/{mark_id}', {
          params,
          body: { ...body, was: insisting ? null : was },
        }),
      );
    const kept = await sendUnlessChanged(send, this.refresh);
    await this.refresh();
    return kept !== undefined;
  }

  changeMark(mark: MarkOut): Promise<boolean> {
    return this.act(async () => {
      const before = this.drafting.ground?.marks.find((own) => own.id === mark.id);
      const kept = await this.putMark(mark, before);
      this.drafting.markMoved = null;
      if (before && kept) noteUndo(t.markChanged(mark.name), () => this.putMark(before));
    });
  }

  removeMark(mark: MarkOut): Promise<boolean> {
    return this.act(async () => {
      const params = { path: { layout_id: this.id, mark_id: mark.id } };
      const gone = await done(api.DELETE('/api/layouts/{layout_id}/marks/{mark_id}', { params }));
      this.drafting.held = null;
      noteAction(t.markRemoved(mark.name), gone.action, this.refresh);
      await this.refresh();
    });
  }

  /** What needs no computing: the name, the map's turn, whether it is right as it is. */
  change(body: { heading_deg?: number | null; confirmed?: boolean; name?: string }): Promise<boolean> {
    return this.act(async () => {
      const name = this.drafting.ground?.layout.name ?? '';
      const kept = await done(api.PATCH('/api/layouts/{layout_id}', { params: this.path, body }));
      noteAction(t.circuitChanged(name), kept.action, this.refresh);
      await this.refresh();
    });
  }

  /** Make the line from all runs; true where a version waits to be chosen. */
  async makeLine(limits: boolean): Promise<boolean> {
    const name = this.drafting.ground?.layout.name ?? '';
    this.trouble = null;
    try {
      const begun = await done(
        api.POST('/api/layouts/{layout_id}/line', { params: this.path, body: { limits } }),
      );
      const job = await follow(begun, t.lineName(name));
      await this.refresh();
      return job?.state === 'done';
    } catch (error) {
      this.tell(error);
      return false;
    }
  }
}
