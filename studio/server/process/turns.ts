/** Lets so many do something at a time; the others wait in the order in which they came. */
export class Turns {
  private free: number;
  private readonly waiting: (() => void)[] = [];

  constructor(most: number) {
    this.free = most;
  }

  /** Waits for a turn; what it resolves to gives it back, once. */
  async take(): Promise<() => void> {
    if (this.free > 0) this.free--;
    else await new Promise<void>((go) => this.waiting.push(go));
    let given = false;
    return () => {
      if (given) return;
      given = true;
      const next = this.waiting.shift();
      if (next) next();
      else this.free++;
    };
  }
}
