// Signed out in the middle of something: the password is asked for over the page, and what was asked for is asked again.

class Again {
  open = $state(false);
  private asked: Promise<boolean> | null = null;
  private settle: ((signedIn: boolean) => void) | null = null;

  /** Ask whoever is there to sign in again; true once they did, false where they would not. One sheet serves all. */
  ask(): Promise<boolean> {
    this.asked ??= new Promise((settle) => {
      this.settle = settle;
      this.open = true;
    });
    return this.asked;
  }

  end(signedIn: boolean): void {
    this.open = false;
    this.settle?.(signedIn);
    this.asked = null;
    this.settle = null;
  }
}

export const again = new Again();
