// The server, or its database, is away for a moment: what was asked for waits, is asked for again when it is back, and the
// page says so meanwhile. Only what reads is asked for again: whether something else was done before it broke off is
// not known here.

const FIRST_MS = 400;
const LONGEST_MS = 3000;

class Interrupted {
  /** what is away, in words; null while nothing is */
  sentence = $state<string | null>(null);
  #waiting: Promise<void> | null = null;
  #nudge: (() => void) | null = null;

  /** Resolves when the server and its database answer again. */
  over(sentence: string): Promise<void> {
    this.sentence = sentence;
    this.#waiting ??= this.#look().finally(() => {
      this.#waiting = null;
      this.sentence = null;
    });
    return this.#waiting;
  }

  /** Look at once instead of a little later. */
  now(): void {
    this.#nudge?.();
  }

  async #look(): Promise<void> {
    for (let wait = FIRST_MS; ; wait = Math.min(wait * 1.5, LONGEST_MS)) {
      await new Promise<void>((later) => {
        const timer = setTimeout(later, wait);
        this.#nudge = () => {
          clearTimeout(timer);
          later();
        };
      });
      const answer = await fetch('/health', { cache: 'no-store' }).catch(() => null);
      if (answer?.ok) return;
    }
  }
}

export const interrupted = new Interrupted();
