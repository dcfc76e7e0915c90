import type { Edit } from "@wet-thread/core/edit/registry";
import { dataOf } from "@wet-thread/core/model/document";
import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";
import { tellWalked } from "../words/notices";
import { toast } from "../words/toast";
import { FakeServer } from "./fake-server";
import { closeParked, Session, sendLeftovers } from "./session";

vi.mock("../words/notices", { spy: true });

let server: FakeServer;
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
  server = new FakeServer();
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
    for (const id of ["a", "b", "c"]) s.edit([addTrack(id)]);
    await saved(s);
    s.goTo(1);
    await saved(s);
    expect(order(s)).toEqual(["a"]);
    // Whichever way it went is what is said.
    expect(tellWalked).toHaveBeenLastCalledWith("undo", expect.any(String));
    // Meanwhile somebody else took it back all the way.
    await server.answer("/api/versions/v/undo", { body: JSON.stringify({ to: 0 }) });
    s.goTo(2);
    await vi.waitFor(() => expect(order(s)).toEqual(["a", "b"]));
    await saved(s);
    s.goTo(2);
    await saved(s);
    expect(server.steps.map((x) => x.kind)).toEqual(["edit", "edit", "edit", "undo", "undo", "redo"]);
    s.close();
  });
  it("shows undo and redo at once, and what is done after them on what they left", async () => {
    const s = await Session.open("p");
    let answered = (): void => {};
    server.slow = new Promise((done) => {
      answered = done;
    });
    s.edit([addTrack("a")]);
    s.edit([addTrack("b")]);
    s.back("undo");
    expect(order(s)).toEqual(["a"]);
    s.back("redo");
    expect(order(s)).toEqual(["a", "b"]);
    s.back("undo");
    s.edit([addTrack("c")]);
    expect(order(s)).toEqual(["a", "c"]);
    s.back("redo");
    expect(order(s)).toEqual(["a", "c"]);
    answered();
    server.slow = null;
    await saved(s);
    expect(server.steps.map((x) => x.kind)).toEqual(["edit", "edit", "undo", "redo", "undo", "edit"]);
    expect(server.doc.piece.trackOrder).toEqual(["a", "c"]);
    expect(dataOf(s.doc)).toEqual(dataOf(server.doc));
    expect(told).not.toHaveBeenCalled();
    s.close();
  });
  it("takes back nothing where somebody else's step came to lie on what was meant, and says so", async () => {
    const s = await Session.open("p");
    s.edit([addTrack("mine")]);
    await saved(s);
    server.do([addTrack("theirs")], "Theirs");
    s.back("undo");
    expect(order(s)).toEqual([]);
    await saved(s);
    expect(order(s)).toEqual(["mine", "theirs"]);
    expect(wrong.mock.calls.at(-1)?.[0]).toBe("“Theirs” was done meanwhile. Nothing was undone.");
    // Pressed again it is what is meant.
    s.back("undo");
    await saved(s);
    expect(server.doc.piece.trackOrder).toEqual(["mine"]);
    s.close();
  });
  it("knows what an earlier page did, so that it can be taken back at once", async () => {
    server.do([addTrack("a")], "A");
    server.do([addTrack("b")], "B");
    const s = await Session.open("p");
    await vi.waitFor(() => expect(s.store.getState().history).toHaveLength(2));
    server.away = true;
    await vi.waitFor(() => {
      s.back("undo");
      expect(order(s)).toEqual(["a"]);
    });
    s.edit([addTrack("c")]);
    expect(order(s)).toEqual(["a", "c"]);
    server.away = false;
    await saved(s);
    expect(server.doc.piece.trackOrder).toEqual(["a", "c"]);
    s.close();
  });
  it("lays nothing on a walk of which it can't tell what it comes to", async () => {
    server.do([addTrack("a")], "A");
    const { answer } = server;
    server.answer = async (path, init) => (path.includes("/history") ? new Response("", { status: 503 }) : answer(path, init));
    const s = await Session.open("p");
    s.back("undo");
    expect(s.edit([addTrack("b")])).toBe(false);
    await saved(s);
    expect(order(s)).toEqual([]);
    expect(s.edit([addTrack("b")])).toBeTruthy();
    await saved(s);
    expect(server.doc.piece.trackOrder).toEqual(["b"]);
    s.close();
  });
  it("makes lanes higher, and lets them be heard by themselves, without ending what can be done again", async () => {
    const s = await Session.open("p");
    s.edit([addTrack("a")]);
    s.edit([addTrack("b")]);
    s.back("undo");
    s.edit([{ type: "set-track", trackIds: ["a"], height: 200 }]);
    s.edit([{ type: "set-track", trackIds: ["a"], solo: true }]);
    s.back("redo");
    expect(order(s)).toEqual(["a", "b"]);
    await saved(s);
    expect(server.doc.piece.trackOrder).toEqual(["a", "b"]);
    expect(server.doc.tracks.get("a")).toMatchObject({ height: 200, solo: true });
    expect(dataOf(s.doc)).toEqual(dataOf(server.doc));
    s.close();
  });
  it("goes on sending after it was left for the list of projects, and what comes back is the same", async () => {
    const s = await Session.open("p");
    server.away = true;
    for (const id of ["a", "b", "c"]) s.edit([addTrack(id)]);
    s.park();
    closeParked();
    server.away = false;
    const again = await Session.open("p", "v");
    expect(again).toBe(s);
    await saved(again);
    expect(server.doc.piece.trackOrder).toEqual(["a", "b", "c"]);
    again.close();
  });
  it("sends what a closed tab left behind, whatever is open", async () => {
    localStorage.setItem("wet-thread unsent v gone", JSON.stringify([{ key: "left-1", name: "Left", edits: [addTrack("a")] }]));
    await sendLeftovers(null);
    await vi.waitFor(() => expect(server.doc.piece.trackOrder).toEqual(["a"]));
    expect(localStorage.getItem("wet-thread unsent v gone")).toBeNull();
    closeParked();
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
  it("waits with a step at which the server fails each time, and with all that was done after it", async () => {
    const s = await Session.open("p");
    server.fails = "Bad";
    s.edit([addTrack("bad")], "Bad");
    s.edit([{ type: "rename-track", trackId: "bad", name: "On it" }]);
    s.edit([addTrack("good")]);
    await vi.waitFor(() => expect(s.store.getState().trouble).toBe("Something went wrong."));
    expect(s.store.getState().save).toBe("waiting");
    expect(order(s)).toEqual(["bad", "good"]);
    expect(server.steps).toEqual([]);
    expect(wrong.mock.calls.at(-1)?.[0]).toBe("“Bad” can't be saved just now: Something went wrong.");
    await expect(s.settled()).rejects.toThrow("did not take your last steps");
    server.fails = "";
    const said = wrong.mock.calls.at(-1)?.[1] as unknown as { action: { onClick(): void } };
    said.action.onClick();
    await saved(s);
    expect(server.doc.piece.trackOrder).toEqual(["bad", "good"]);
    expect(server.doc.tracks.get("bad")?.name).toBe("On it");
    expect(s.store.getState().trouble).toBeNull();
    expect(dataOf(s.doc)).toEqual(dataOf(server.doc));
    s.close();
  });
  it("drops a step that can't be saved when that is wanted, says what no longer fits without it, and sends the rest", async () => {
    const s = await Session.open("p");
    server.fails = "Bad";
    s.edit([addTrack("bad")], "Bad");
    s.edit([{ type: "rename-track", trackId: "bad", name: "On it" }]);
    s.edit([addTrack("good")]);
    await vi.waitFor(() => expect(s.store.getState().trouble).not.toBeNull());
    const said = wrong.mock.calls.at(-1)?.[1] as unknown as { cancel: { onClick(): void } };
    said.cancel.onClick();
    await saved(s);
    expect(wrong.mock.calls.at(-1)?.[0]).toContain("“Rename track On it” no longer fits");
    expect(server.doc.piece.trackOrder).toEqual(["good"]);
    expect(dataOf(s.doc)).toEqual(dataOf(server.doc));
    s.close();
  });
  it.each([
    ["a session that has ended", () => new Response('{"error":"sign-in","message":"This server asks for its passphrase."}', { status: 401 })],
    ["a proxy that lets nobody through", () => new Response("<h1>Forbidden</h1>", { status: 403 })],
    ["a proxy that knows no such place", () => new Response("<h1>Not found</h1>", { status: 404 })],
    ["a proxy for which it is too much", () => new Response("<h1>Too large</h1>", { status: 413 })],
    ["a proxy for which it is too often", () => new Response("Slow down", { status: 429 })],
    ["a proxy that finds nobody", () => new Response("<h1>Bad gateway</h1>", { status: 502 })],
  ])("keeps steps through %s, and goes on after it", async (_, refusal) => {
    const gone = vi.fn();
    vi.stubGlobal("location", { assign: gone, pathname: "/p/p", search: "", hash: "" });
    const s = await Session.open("p");
    const { answer } = server;
    server.answer = async (path, init) => (init?.body ? refusal() : answer(path, init));
    s.edit([addTrack("a")]);
    s.edit([addTrack("b")]);
    s.back("undo");
    await vi.waitFor(() => expect(s.store.getState().save).toBe("waiting"));
    expect(order(s)).toEqual(["a"]);
    expect(s.store.getState().unsent).toHaveLength(3);
    server.answer = answer;
    await saved(s);
    expect(server.doc.piece.trackOrder).toEqual(["a"]);
    expect(server.steps.map((x) => x.kind)).toEqual(["edit", "edit", "undo"]);
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
    await saved(s);
    expect(server.doc.piece.trackOrder).toEqual([]);
    expect(server.steps.map((x) => x.kind)).toEqual(["edit", "undo"]);
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
    await vi.waitFor(() => expect(s.store.getState().save).toBe("waiting"));
    server.answer = answer;
    await saved(s);
    expect(server.steps.map((x) => x.kind)).toEqual(["edit", "undo"]);
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
