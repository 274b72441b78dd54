// The day, circuit and driver that somebody looks at: they stay chosen from place to place, as long as the tab is open.

const KEPT = 'lauftakt.chosen';

interface Kept {
  event: number | null;
  layout: number | null;
  driver: number | null;
}

const NOTHING: Kept = { event: null, layout: null, driver: null };

function read(): Kept {
  try {
    const found = JSON.parse(sessionStorage.getItem(KEPT) ?? '{}') as Partial<Record<keyof Kept, unknown>>;
    const number = (value: unknown): number | null =>
      typeof value === 'number' && Number.isInteger(value) && value > 0 ? value : null;
    return { event: number(found.event), layout: number(found.layout), driver: number(found.driver) };
  } catch {
    return NOTHING; // no storage here: it is forgotten with the page
  }
}

class Chosen {
  private kept = $state.raw<Kept>(read());

  get driver(): number | null {
    return this.kept.driver;
  }

  /** What a place shows now. */
  take(change: Partial<Kept>): void {
    const next = { ...this.kept, ...change };
    if (
      next.event === this.kept.event &&
      next.layout === this.kept.layout &&
      next.driver === this.kept.driver
    )
      return;
    this.kept = next;
    try {
      sessionStorage.setItem(KEPT, JSON.stringify(next));
    } catch {
      // no storage here
    }
  }

  forget(): void {
    this.take(NOTHING);
  }

  /** The address of a place, on what is chosen. */
  to(path: string): string {
    const query: [string, string][] = [];
    const { event, layout, driver } = this.kept;
    if (event !== null && ['/paddock', '/laps', '/compare', '/debrief', '/debrief/day'].includes(path))
      query.push(['event', String(event)]);
    if (path === '/circuit' && layout !== null) query.push(['layout', String(layout)]);
    if (path === '/debrief/progress' && driver !== null) query.push(['driver', String(driver)]);
    const text = query.map((pair) => pair.join('=')).join('&');
    return text ? `${path}?${text}` : path;
  }
}

export const chosen = new Chosen();
