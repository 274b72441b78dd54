// What somebody does in a dialog: what went wrong is told there, and afterwards what is shown is asked for again.
export class Doing {
  trouble = $state<unknown>(null);

  constructor(private readonly again: () => Promise<void>) {}

  async do(what: () => Promise<void>): Promise<void> {
    this.trouble = null;
    try {
      await what();
      await this.again();
    } catch (error) {
      this.trouble = error;
    }
  }
}
