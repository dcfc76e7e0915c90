import { applyEdits, type Edit } from "@wet-thread/core/edit/registry";
import { applyChanges, type Change, dataOf, documentFrom, invertChanges, NEW_PIECE } from "@wet-thread/core/model/document";
import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";
import { Session, type VersionAnswer } from "./session";
import { toast } from "./toast";

/** A server in a few lines: it keeps the order, and can be away. */
class Server {
  doc = documentFrom({ sampleRate: 48_000, piece: { ...NEW_PIECE }, tracks: [], clips: [], markers: [], sections: [] }, new Map());
  steps: { revision: number; kind: "edit" | "undo"; name: string; key?: string; changes: unknown[] }[] = [];
  readonly undone = new Set<number>();
  away = false;
  /** Does a step but loses the answer. */
  deaf = false;
  /** Fails at steps of this name. */
  fails = "";
  /** Does a step, and answers only when this is settled. */
  slow: Promise<void> | null = null;

  do(edits: Edit[], name: string, key?: string) {
    const again = key && this.steps.find((s) => s.key === key);
    if (again) return again;
    const outcome = applyEdits(this.doc, edits);
    this.doc = outcome.doc;
    const step = { revision: this.steps.length + 1, kind: "edit" as const, name, key, changes: outcome.changes };
    this.steps.push(step);
    return step;
  }

  answer = async (path: string, init?: RequestInit): Promise<Response> => {
    if (this.away) throw new TypeError("fetch failed");
    const json = (body: unknown, status = 200) => new Response(JSON.stringify(body), { status });
    if (path.startsWith("/api/projects/"))
      return json({
        id: "p",
        name: "P",
        sampleRate: 48_000,
        createdAt: "",
        sources: [],
        versions: [{ id: "v", name: "V", revision: 0, changedAt: "" }],
      });
    if (path.includes("/history")) return json({ steps: [], earlier: 0 });
    if (path.includes("/steps?after="))
      return json({ revision: this.steps.length, steps: this.steps.filter((s) => s.revision > Number(path.split("=")[1])) });
    if (path.endsWith("/undo")) {
      const last = this.steps.findLast((s) => s.kind === "edit" && !this.undone.has(s.revision));
      if (!last) return json({ error: "nothing-to-undo", message: "There is nothing to undo." }, 422);
      this.undone.add(last.revision);
      const changes = invertChanges(last.changes as Change[]);
      this.doc = applyChanges(this.doc, changes);
      const step = { revision: this.steps.length + 1, kind: "undo" as const, name: last.name, changes };
      this.steps.push(step);
      return json(step);
    }
    if (path.endsWith("/edits")) {
      const { revision, edits, name, key } = JSON.parse(String(init?.body));
      const known = this.steps.some((s) => s.key === key);
      if (!known && revision !== this.steps.length)
        return json({ error: "behind", message: "behind", revision: this.steps.length, steps: this.steps.filter((s) => s.revision > revision) }, 409);
      if (this.fails && name === this.fails) return json({ error: "unexpected", message: "Something went wrong." }, 500);
      const step = this.do(edits, name, key);
      await this.slow;
      if (this.deaf) {
        this.deaf = false;
        throw new TypeError("connection reset");
      }
      return json(step);
    }
    const { piece, ...rest } = dataOf(this.doc);
    return json({ id: "v", projectId: "p", name: "V", revision: this.steps.length, ...piece, ...rest } satisfies VersionAnswer);
  };
}

let server: Server;
const told = vi.spyOn(toast, "info");
const wrong = vi.spyOn(toast, "error");
const addTrack = (id: string): Edit => ({ type: "add-track", id });
const order = (s: Session) => s.doc.piece.trackOrder;
const saved = (s: Session) => vi.waitFor(() => expect(s.store.getState().save).toBe("saved"), { timeout: 8000, interval: 5 });

/** The page's event streams; `tell` says that a revision has come to be. */
const streams: { onmessage: ((e: { data: string }) => void) | null }[] = [];
const tell = (revision: number) => {
  for (const s of streams) s.onmessage?.({ data: JSON.stringify({ type: "step", projectId: "p", versionId: "v", revision }) });
};

beforeEach(() => {
  streams.length = 0;
  server = new Server();
  localStorage.clear();
  told.mockClear();
  wrong.mockClear();
  vi.stubGlobal("fetch", (path: string, init?: RequestInit) => server.answer(path, init));
  vi.stubGlobal(
    "EventSource",
    class {
      onmessage: ((e: { data: string }) => void) | null = null;
      constructor() {
        streams.push(this);
      }
      close() {}
    },
  );
});
afterEach(() => vi.unstubAllGlobals());

describe("a session", () => {
  it("shows an edit at once and saves it", async () => {
    const s = await Session.open("p");
    expect(s.edit([addTrack("a")])).toBeTruthy();
    expect(order(s)).toEqual(["a"]);
    await saved(s);
    expect(server.doc.piece.trackOrder).toEqual(["a"]);
    s.close();
  });
  it("takes in what others did, and lays its own on top", async () => {
    const s = await Session.open("p");
    server.do([addTrack("theirs")], "theirs");
    s.edit([addTrack("mine")]);
    await saved(s);
    expect(order(s)).toEqual(["theirs", "mine"]);
    expect(dataOf(s.doc)).toEqual(dataOf(server.doc));
    expect(told.mock.calls).toEqual([
      ["“theirs” came from elsewhere meanwhile.", expect.objectContaining({ description: "Your own step goes on top." })],
    ]);
    s.close();
  });
  it("drops a step of its own that no longer fits, and keeps the rest", async () => {
    server.do([addTrack("a"), addTrack("b")], "both");
    const s = await Session.open("p");
    server.do([{ type: "remove-track", trackId: "a" }], "remove");
    s.edit([{ type: "rename-track", trackId: "a", name: "Lost" }]);
    s.edit([{ type: "rename-track", trackId: "b", name: "Kept" }]);
    await saved(s);
    expect(told.mock.calls[0][0]).toBe("“remove” came from elsewhere meanwhile.");
    expect(wrong.mock.calls[0][0]).toContain("“Rename track Lost” no longer fits after changes made elsewhere");
    expect(s.doc.tracks.get("b")?.name).toBe("Kept");
    expect(dataOf(s.doc)).toEqual(dataOf(server.doc));
    s.close();
  });
  it("keeps steps while the server is away and sends them when it is back", async () => {
    const s = await Session.open("p");
    server.away = true;
    s.edit([addTrack("a")]);
    s.edit([addTrack("b")]);
    await vi.waitFor(() => expect(s.store.getState().save).toBe("waiting"));
    expect(order(s)).toEqual(["a", "b"]);
    // What needs them there is told so, rather than done at some later time.
    await expect(s.settled()).rejects.toThrow("has not got your last 2 steps yet. They are kept here");
    server.away = false;
    await saved(s);
    await s.settled();
    expect(server.doc.piece.trackOrder).toEqual(["a", "b"]);
    s.close();
  });
  it("tells those who wait for a step to be saved once the server is found to be away", async () => {
    const s = await Session.open("p");
    server.away = true;
    s.edit([addTrack("a")]);
    await expect(s.settled()).rejects.toThrow("has not got your last step yet. It is kept here");
    server.away = false;
    await saved(s);
    s.close();
  });
  it("does a step once though its answer was lost", async () => {
    const s = await Session.open("p");
    server.deaf = true;
    s.edit([addTrack("a")]);
    await saved(s);
    expect(server.steps).toHaveLength(1);
    s.close();
  });
  it("brings back a step whose answer was lost with the tab, without doing or showing it twice", async () => {
    const first = await Session.open("p");
    first.edit([addTrack("a")]);
    await saved(first);
    server.deaf = true;
    first.edit([{ type: "duplicate-track", trackId: "a" }]);
    await vi.waitFor(() => expect(server.steps).toHaveLength(2));
    first.close();
    server.do([addTrack("theirs")], "theirs");
    const second = await Session.open("p");
    const shown: number[] = [order(second).length];
    second.store.subscribe((s) => shown.push(s.doc.piece.trackOrder.length));
    await saved(second);
    expect(Math.max(...shown)).toBe(3);
    expect(dataOf(second.doc)).toEqual(dataOf(server.doc));
    expect(wrong).not.toHaveBeenCalled();
    second.close();
  });
  it("brings back what a closed tab could not send", async () => {
    const first = await Session.open("p");
    server.away = true;
    first.edit([addTrack("a")]);
    await vi.waitFor(() => expect(first.store.getState().save).toBe("waiting"));
    first.close();
    server.away = false;
    const second = await Session.open("p");
    await saved(second);
    expect(server.doc.piece.trackOrder).toEqual(["a"]);
    expect(Array.from({ length: localStorage.length }, (_, i) => localStorage.key(i))).toEqual([]);
    second.close();
  });
  it("goes to a step of the history the way that the server's history says, not the one listed before", async () => {
    const s = await Session.open("p");
    s.edit([addTrack("a")]);
    await saved(s);
    const gone: string[] = [];
    const { answer } = server;
    server.answer = async (path, init) => {
      const listed = (state: string) => new Response(JSON.stringify({ steps: [{ revision: 1, name: "Add track", state }], earlier: 0 }));
      if (path.includes("/history")) return listed("undone");
      if (!/\/(undo|redo)$/.test(path)) return answer(path, init);
      gone.push(`${path.split("/").at(-1)} ${JSON.parse(String(init?.body)).to}`);
      return new Response(JSON.stringify({ revision: 1, name: "Add track", changes: [] }));
    };
    s.store.setState({ history: [{ revision: 1, name: "Add track", row: null, state: "done", at: "", size: 1, summary: null }] });
    s.goTo(1);
    await vi.waitFor(() => expect(gone).toEqual(["redo 1"]));
    s.close();
  });
  it("asks for a redo that is pressed while a walk back is on its way, though its list has nothing to redo yet", async () => {
    const s = await Session.open("p");
    const asked: string[] = [];
    let answered = (): void => {};
    const held = new Promise<void>((done) => {
      answered = done;
    });
    const { answer } = server;
    server.answer = async (path, init) => {
      const step = { revision: 1, name: "Add track", row: null, state: "done", at: "", size: 1, summary: null };
      if (path.includes("/history")) return new Response(JSON.stringify({ steps: [step], earlier: 0, revision: server.steps.length }));
      if (!/\/(undo|redo)$/.test(path)) return answer(path, init);
      asked.push(path.split("/").at(-1) as string);
      if (path.endsWith("/undo")) {
        await held;
        return answer(path, init);
      }
      return new Response(JSON.stringify({ revision: server.steps.length, name: "Add track", changes: [] }));
    };
    s.edit([addTrack("a")]);
    await saved(s);
    await vi.waitFor(() => expect(s.store.getState().history).toHaveLength(1));
    // The list is as the server is, and tells that there is nothing: nobody is asked.
    s.back("redo");
    await s.settled();
    expect(asked).toEqual([]);
    s.back("undo");
    s.back("redo");
    await vi.waitFor(() => expect(asked).toEqual(["undo"]));
    answered();
    await vi.waitFor(() => expect(asked).toEqual(["undo", "redo"]));
    s.close();
  });
  it("misses nothing that is told while its own step is on its way", async () => {
    const s = await Session.open("p");
    let answer = (): void => {};
    server.slow = new Promise((done) => {
      answer = done;
    });
    s.edit([addTrack("mine")]);
    await vi.waitFor(() => expect(server.steps).toHaveLength(1));
    server.do([addTrack("theirs")], "theirs");
    tell(2);
    // What others did is shown before the answer to the own step has come, and the own one only once.
    await vi.waitFor(() => expect(order(s)).toEqual(["mine", "theirs"]));
    answer();
    server.slow = null;
    await saved(s);
    expect(order(s)).toEqual(["mine", "theirs"]);
    expect(s.store.getState().revision).toBe(2);
    expect(told).not.toHaveBeenCalled();
    s.close();
  });
  it("puts a step aside at which the server fails each time, and sends the others", async () => {
    const s = await Session.open("p");
    server.fails = "Bad";
    s.edit([addTrack("bad")], "Bad");
    s.edit([addTrack("good")]);
    await saved(s);
    expect(order(s)).toEqual(["good"]);
    expect(s.store.getState().aside.map((a) => a.name)).toEqual(["Bad"]);
    server.fails = "";
    const said = wrong.mock.calls.at(-1)?.[1] as unknown as { action: { onClick(): void } } | undefined;
    said?.action.onClick();
    await vi.waitFor(() => expect(dataOf(server.doc).piece.trackOrder).toEqual(["good", "bad"]));
    await saved(s);
    expect(s.store.getState().aside).toEqual([]);
    expect(dataOf(s.doc)).toEqual(dataOf(server.doc));
    s.close();
  });
  it("takes a step back that was on its way when the line broke, also where the server had it", async () => {
    const s = await Session.open("p");
    server.deaf = true;
    s.edit([addTrack("a")]);
    await vi.waitFor(() => expect(s.store.getState().save).toBe("waiting"));
    server.away = true;
    s.back("undo");
    expect(order(s)).toEqual([]);
    server.away = false;
    tell(1);
    await vi.waitFor(() => expect(server.doc.piece.trackOrder).toEqual([]));
    await vi.waitFor(() => expect(s.store.getState().revision).toBe(2));
    expect(order(s)).toEqual([]);
    s.close();
  });
  it("goes on after an error that nobody foresaw", async () => {
    const s = await Session.open("p");
    const said = vi.spyOn(console, "error").mockImplementation(() => {});
    s.edit([addTrack("a")]);
    await saved(s);
    const { answer } = server;
    server.answer = async () => new Response("no JSON at all", { status: 200 });
    s.back("undo");
    await vi.waitFor(() => expect(wrong).toHaveBeenCalled());
    server.answer = answer;
    s.back("undo");
    await vi.waitFor(() => expect(server.doc.piece.trackOrder).toEqual([]));
    s.close();
    said.mockRestore();
  });
  it("opens with a browser's store that is full, or has an entry cut off, and says so", async () => {
    localStorage.setItem("wet-thread unsent v old", '[{"key":"abcd","na');
    const store = localStorage;
    const full = {
      get length() {
        return store.length;
      },
      key: (i: number) => store.key(i),
      getItem: (k: string) => store.getItem(k),
      removeItem: (k: string) => store.removeItem(k),
      setItem: () => {
        throw new DOMException("full", "QuotaExceededError");
      },
    };
    vi.stubGlobal("localStorage", full);
    const warned = vi.spyOn(toast, "warning");
    const s = await Session.open("p");
    expect(wrong.mock.calls.flat().join()).toMatch(/could not be read/);
    s.edit([addTrack("a")]);
    await saved(s);
    expect(warned.mock.calls[0][0]).toMatch(/not kept on this computer/);
    expect(server.doc.piece.trackOrder).toEqual(["a"]);
    s.close();
  });
  it("refuses an impossible edit and changes nothing", async () => {
    const s = await Session.open("p");
    const before = s.doc;
    expect(s.edit([{ type: "mute", clipIds: ["gone"], mute: true }])).toBe(false);
    expect(s.doc).toBe(before);
    s.close();
  });
});
