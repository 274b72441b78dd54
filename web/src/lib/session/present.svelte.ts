// Who is signed in, and what they prefer. Kept with the account, so it follows them to another machine.
import { api, done, keepToken, onBuild, type Me, type Session } from '$lib/api/client';
import { writeDatesIn } from '$lib/quantities/dates.svelte';
import type { UnitSystem } from '$lib/quantities/units';

class Present {
  me = $state<Me | null>(null);
  known = $state(false);
  /** of the program and its database: part of the address of everything that is kept in the browser */
  build = $state('');
  /** nobody is signed in, and nobody has a team here yet */
  empty = $state(false);

  constructor() {
    onBuild((build) => {
      if (this.known) this.build = build;
    });
  }

  get units(): UnitSystem {
    return this.me?.units ?? 'metric';
  }

  take(session: Session): void {
    keepToken(session.csrf);
    this.me = session.me ?? null;
    this.known = true;
    this.build = session.build;
    this.empty = session.empty;
    if (this.me) writeDatesIn(this.me.dates);
    const look = this.me?.look ?? 'system';
    if (look === 'system') delete document.documentElement.dataset.mode;
    else document.documentElement.dataset.mode = look;
  }

  private asked: Promise<Session> | null = null;

  /** Asked for before anybody waits for it; null where there is no answer, which whoever waits for it is told. */
  ask(): Promise<Session | null> {
    this.asked = done(api.GET('/api/session'));
    return this.asked.catch(() => null);
  }

  async load(): Promise<void> {
    const early = this.asked;
    this.asked = null;
    this.take(await (early ?? done(api.GET('/api/session'))));
  }

  async prefer(change: {
    units?: Me['units'];
    look?: Me['look'];
    dates?: Me['dates'];
    shortcuts?: boolean;
  }): Promise<void> {
    this.take(
      await done(
        api.PATCH('/api/session/preferences', {
          body: { units: null, look: null, dates: null, shortcuts: null, ...change },
        }),
      ),
    );
  }

  async leave(): Promise<void> {
    this.take(await done(api.DELETE('/api/session')));
  }
}

export const present = new Present();
