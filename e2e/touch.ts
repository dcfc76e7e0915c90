import type { CDPSession, Page } from "@playwright/test";

interface Spot {
  readonly x: number;
  readonly y: number;
}

/** Fingers on the screen, by the browser's own touch events. */
export class Fingers {
  private constructor(
    private readonly page: Page,
    private readonly wire: CDPSession,
  ) {}

  static async on(page: Page): Promise<Fingers> {
    return new Fingers(page, await page.context().newCDPSession(page));
  }

  private send(type: "touchStart" | "touchMove" | "touchEnd", spots: readonly Spot[]): Promise<unknown> {
    return this.wire.send("Input.dispatchTouchEvent", { type, touchPoints: spots.map((s, id) => ({ x: s.x, y: s.y, id })) });
  }

  async tap(spot: Spot): Promise<void> {
    await this.send("touchStart", [spot]);
    await this.send("touchEnd", []);
  }

  /** Each finger goes from its first to its last place in steps; all at once. */
  async drag(...paths: readonly (readonly [Spot, Spot])[]): Promise<void> {
    await this.send(
      "touchStart",
      paths.map(([from]) => from),
    );
    for (let i = 1; i <= 8; i++)
      await this.send(
        "touchMove",
        paths.map(([a, b]) => ({ x: a.x + ((b.x - a.x) * i) / 8, y: a.y + ((b.y - a.y) * i) / 8 })),
      );
    await this.send("touchEnd", []);
  }

  /** Fingers put down and left where they are while something is looked at. */
  async rest(spots: readonly Spot[], during: () => Promise<void>): Promise<void> {
    await this.send("touchStart", spots);
    await during();
    await this.send("touchEnd", []);
  }

  /** Pressed until a menu is there. */
  async longPress(spot: Spot): Promise<void> {
    await this.send("touchStart", [spot]);
    await this.page.getByRole("menu").waitFor();
    await this.send("touchEnd", []);
  }
}
