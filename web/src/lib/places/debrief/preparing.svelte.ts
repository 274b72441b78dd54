// What a coach does with a debrief: each step asks for what is shown anew and offers its way back.
import type { QueryClient } from '@tanstack/svelte-query';
import { api, ApiProblem, done, type Cue, type CueIn, type DebriefHead } from '$lib/api/client';
import { keys } from '$lib/api/keys';
import { note, noteAction } from '$lib/parts/notes.svelte';
import { texts } from '$lib/words';

const t = texts.debrief;

export class Preparing {
  trouble = $state<unknown>(null);
  /** what waits for one of three cues to be left */
  waiting = $state.raw<CueIn | null>(null);
  busy = $state(false);
  private last = Promise.resolve();

  constructor(
    private readonly client: QueryClient,
    private readonly name: () => string,
  ) {}

  private again = async (): Promise<void> => {
    await this.client.invalidateQueries({ queryKey: keys.anyDebrief() });
  };

  /** One step after the other, as they were clicked: none is lost, and none overtakes. */
  private does(what: () => Promise<void>): Promise<void> {
    this.last = this.last.then(() => this.once(what));
    return this.last;
  }

  private async once(what: () => Promise<void>): Promise<void> {
    this.trouble = null;
    this.busy = true;
    try {
      await what();
    } catch (error) {
      this.trouble = error;
    } finally {
      this.busy = false;
    }
    await this.again();
  }

  /** Ask for something, or tell to keep it; whether it was taken. A fourth cue waits for one that is left. */
  ask(body: CueIn): Promise<void> {
    return this.does(async () => {
      try {
        const found = await done(api.POST('/api/cues', { body }));
        this.waiting = null;
        const said = body.kind === 'cue' ? t.added(this.name()) : t.addedKeep(this.name());
        noteAction(said, found.action, this.again);
      } catch (error) {
        if (!(error instanceof ApiProblem && error.code === 'too-many' && body.kind === 'cue')) throw error;
        this.waiting = body;
      }
    });
  }

  change(cue: Cue, body: { text?: string; value?: number; rank?: number }): Promise<void> {
    return this.does(async () => {
      await done(api.PATCH('/api/cues/{cue_id}', { params: { path: { cue_id: cue.id } }, body }));
    });
  }

  withdraw(cue: Cue): Promise<void> {
    return this.does(async () => {
      const params = { path: { cue_id: cue.id } };
      const found = await done(api.PATCH('/api/cues/{cue_id}', { params, body: { removed: true } }));
      noteAction(t.withdrawn(cue.kind), found.action, this.again);
    });
  }

  /** Change places with the one above. */
  up(cue: Cue, above: Cue): Promise<void> {
    return this.does(async () => {
      for (const [one, rank] of [
        [cue, above.rank],
        [above, cue.rank === above.rank ? cue.rank + 1 : cue.rank],
      ] as const)
        await done(api.PATCH('/api/cues/{cue_id}', { params: { path: { cue_id: one.id } }, body: { rank } }));
    });
  }

  give(debrief: DebriefHead, given: boolean): Promise<void> {
    return this.does(async () => {
      const params = { path: { debrief_id: debrief.id } };
      await done(api.POST('/api/debriefs/{debrief_id}/give', { params, body: { given } }));
      note(given ? t.wasGiven(this.name()) : t.wasTakenBack(this.name()));
    });
  }
}
