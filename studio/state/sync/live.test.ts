import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";
import { type LiveEvent, listenLive } from "./live";

/** The server's stream, as a browser gives it. */
class Stream {
  static readonly all: Stream[] = [];
  onopen = (): void => {};
  onmessage = (_: { data: string }): void => {};
  onerror = (): void => {};
  readyState = 1;
  constructor(readonly address: string) {
    Stream.all.push(this);
  }
  close(): void {
    this.readyState = 2;
  }
}
/** Tabs that hear one another; each hears all but itself. */
class Channel {
  static readonly all = new Set<Channel>();
  onmessage = (_: { data: unknown }): void => {};
  constructor() {
    Channel.all.add(this);
  }
  postMessage(data: unknown): void {
    for (const other of Channel.all) if (other !== this) other.onmessage({ data });
  }
  close(): void {
    Channel.all.delete(this);
  }
}
/** One at a time holds a lock; the next in line gets it once it is let go. */
class Locks {
  private line: Promise<unknown> = Promise.resolve();
  request(_: string, { signal }: { signal: AbortSignal }, work: () => Promise<void>): Promise<void> {
    const done = this.line.then(() => (signal.aborted ? undefined : work()));
    this.line = done;
    return done as Promise<void>;
  }
}

beforeEach(() => {
  Stream.all.length = 0;
  Channel.all.clear();
  vi.stubGlobal("EventSource", Stream);
  vi.stubGlobal("BroadcastChannel", Channel);
  vi.stubGlobal("navigator", { locks: new Locks() });
});
afterEach(() => {
  vi.unstubAllGlobals();
  vi.useRealTimers();
});
const turn = (): Promise<void> => new Promise((done) => setTimeout(done));
const step = (projectId: string, revision: number): LiveEvent => ({ type: "step", projectId, versionId: "v", revision });
const tell = (stream: Stream, event: LiveEvent): void => stream.onmessage({ data: JSON.stringify(event) });

describe("the tabs of a browser", () => {
  it("share one stream, and each hears what is meant for its project", async () => {
    const [a, b]: LiveEvent[][] = [[], []];
    listenLive("one", (e) => a.push(e));
    listenLive("other", (e) => b.push(e));
    await turn();
    expect(Stream.all).toHaveLength(1);
    tell(Stream.all[0], step("one", 1));
    tell(Stream.all[0], step("other", 7));
    expect([a.at(-1), b.at(-1)]).toEqual([step("one", 1), step("other", 7)]);
  });
  it("catch up as they begin to hear: what came between a page and its hearing was told to the others only", async () => {
    listenLive("one", () => {});
    await turn();
    Stream.all[0].onopen();
    const second: LiveEvent[] = [];
    listenLive("one", (e) => second.push(e));
    await turn();
    expect(second).toEqual([{ type: "again" }]);
  });
  it("hand the stream on when the one that keeps it closes, and all catch up", async () => {
    const close = listenLive("one", () => {});
    const second: LiveEvent[] = [];
    listenLive("one", (e) => second.push(e));
    await turn();
    close();
    await turn();
    await turn();
    expect(Stream.all).toHaveLength(2);
    second.length = 0;
    Stream.all[1].onopen();
    tell(Stream.all[1], step("one", 3));
    expect(second).toEqual([{ type: "again" }, step("one", 3)]);
  });
  it("open it again after it was answered with an error, and not while the browser does so itself", async () => {
    vi.useFakeTimers();
    listenLive("one", () => {});
    await vi.advanceTimersByTimeAsync(0);
    const [first] = Stream.all;
    first.onerror();
    await vi.advanceTimersByTimeAsync(10_000);
    expect(Stream.all).toHaveLength(1);
    first.readyState = 2;
    first.onerror();
    await vi.advanceTimersByTimeAsync(10_000);
    expect(Stream.all).toHaveLength(2);
  });
});
