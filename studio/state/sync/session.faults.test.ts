import type { Edit } from "@wet-thread/core/edit/registry";
import { dataOf } from "@wet-thread/core/model/document";
import fc from "fast-check";
import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";
import { toast } from "../words/toast";
import { ServerError } from "./api";
import { FakeServer } from "./fake-server";
import { closeParked, Session } from "./session";

vi.mock("./retry", () => ({ restFor: () => new Promise((wake) => setTimeout(wake, 0)) }));

/** What may happen to a request on its way. */
const FAULTS = [
  "none",
  "none",
  "none",
  "lost",
  "answer lost",
  "twice",
  "late",
  "html 403",
  "html 404",
  "html 429",
  "html 500",
  "api 500",
  "api 503",
  "signed out",
] as const;
type Fault = (typeof FAULTS)[number];
const refusal: Partial<Record<Fault, () => Response>> = {
  "html 403": () => new Response("<h1>no</h1>", { status: 403 }),
  "html 404": () => new Response("<h1>no</h1>", { status: 404 }),
  "html 429": () => new Response("slow down", { status: 429 }),
  "html 500": () => new Response("<h1>broken</h1>", { status: 500 }),
  "api 500": () => new Response('{"error":"unexpected","message":"Something went wrong."}', { status: 500 }),
  "api 503": () => new Response('{"error":"database-away","message":"Away."}', { status: 503 }),
  "signed out": () => new Response('{"error":"sign-in","message":"Sign in."}', { status: 401 }),
};

type Act =
  | { readonly do: "add" | "undo" | "redo" | "pause" | "leave" | "close" | "foreign" }
  | { readonly do: "rename" | "higher"; readonly which: number; readonly row: boolean }
  | { readonly do: "go"; readonly to: number };

const acts = (foreign: boolean): fc.Arbitrary<Act> =>
  fc.oneof(
    { weight: 4, arbitrary: fc.constant<Act>({ do: "add" }) },
    { weight: 6, arbitrary: fc.record({ do: fc.constantFrom("rename" as const, "higher" as const), which: fc.nat(9), row: fc.boolean() }) },
    { weight: 6, arbitrary: fc.constantFrom<Act>({ do: "undo" }, { do: "undo" }, { do: "redo" }) },
    { weight: 2, arbitrary: fc.constantFrom<Act>({ do: "pause" }, { do: "leave" }) },
    { weight: 1, arbitrary: fc.constantFrom<Act>(...(foreign ? ([{ do: "foreign" }, { do: "close" }] as const) : ([{ do: "pause" }] as const))) },
    ...(foreign ? [{ weight: 1, arbitrary: fc.record({ do: fc.constant("go" as const), to: fc.nat(12) }) }] : []),
  );

let server: FakeServer;
/** What the hand did, in its order, on a line that never breaks. */
let hand: FakeServer;
/** Whether nobody else edits, and no tab is closed: then what the hand did is what there is. */
let alone: boolean;
/** The pages' event streams. */
const streams = new Set<{ onmessage: ((e: { data: string }) => void) | null }>();
let faults: () => Fault;
const wrong = vi.spyOn(toast, "error");

beforeEach(() => {
  localStorage.clear();
  wrong.mockClear();
  vi.spyOn(console, "error").mockImplementation(() => {});
  server = new FakeServer();
  vi.stubGlobal("location", { assign: () => {}, pathname: "/p/p", search: "", hash: "" });
  streams.clear();
  vi.stubGlobal(
    "EventSource",
    class {
      onmessage: ((e: { data: string }) => void) | null = null;
      constructor() {
        streams.add(this);
      }
      close() {
        streams.delete(this);
      }
    },
  );
  vi.stubGlobal("fetch", async (path: string, init?: RequestInit) => {
    const fault = faults();
    if (fault === "lost") throw new TypeError("fetch failed");
    const no = refusal[fault];
    if (no) return no();
    if (fault === "late") await new Promise((wake) => setTimeout(wake, 1));
    const answer = await server.answer(path, init);
    if (fault === "twice") return server.answer(path, init);
    if (fault === "answer lost") throw new TypeError("connection reset");
    return answer;
  });
});
// The line stays as it is: what pages ask for last would go to nobody.
afterEach(closeParked);

const settled = async (s: Session): Promise<void> => {
  await vi.waitFor(
    () => {
      expect(s.store.getState().unsent).toEqual([]);
      expect(s.store.getState().save).toBe("saved");
    },
    { timeout: 8000, interval: 1 },
  );
};
let count = 0;

/** Whoever opens a page that does not come tries again. */
async function opened(versionId?: string): Promise<Session> {
  for (let tries = 0; ; tries++) {
    // It takes several answers in a row, which a line that breaks in turn may never give.
    if (tries > 4) faults = () => "none";
    try {
      return await Session.open("p", versionId);
    } catch (error) {
      if (!(error instanceof ServerError)) throw error;
    }
  }
}

async function act(s: Session, a: Act): Promise<Session> {
  const tracks = s.doc.piece.trackOrder;
  const edit = (e: Edit, row?: string): void => {
    if (s.edit([e], undefined, row) && alone) hand.do([e], "", undefined, row);
  };
  const waiting = s.store.getState().unsent.length;
  if (a.do === "add") edit({ type: "add-track", id: `t${++count}` });
  else if (a.do === "undo" || a.do === "redo") {
    s.back(a.do);
    // A hand that is asked to wait a moment has done nothing.
    if (alone && s.store.getState().unsent.length > waiting) void hand.answer(`/api/versions/v/${a.do}`);
  } else if (a.do === "go") s.goTo(a.to);
  else if (a.do === "pause") await new Promise((wake) => setTimeout(wake, 2));
  else if (a.do === "foreign") server.do([{ type: "add-track", id: `f${++count}` }], "Theirs", `foreign-${count}`);
  else if (a.do === "leave") {
    s.park();
    closeParked();
    return opened("v");
  } else if (a.do === "close") {
    s.close();
    return opened();
  } else if ("which" in a && tracks.length > 0) {
    const id = tracks[a.which % tracks.length];
    if (a.do === "rename") edit({ type: "rename-track", trackId: id, name: `Name ${++count}` }, a.row ? `row-${id}` : undefined);
    else edit({ type: "set-track", trackIds: [id], height: 60 + (++count % 100) });
  }
  return s;
}

async function play(list: readonly Act[], order: readonly Fault[]): Promise<Session> {
  server = new FakeServer();
  hand = new FakeServer();
  localStorage.clear();
  wrong.mockClear();
  faults = () => "none";
  let s = await Session.open("p");
  let at = 0;
  faults = () => order[at++ % order.length];
  for (const a of list) s = await act(s, a);
  faults = () => "none";
  await settled(s);
  return s;
}

describe("a session over a line that breaks in every way", () => {
  const order = fc.array(fc.constantFrom(...FAULTS), { minLength: 1, maxLength: 17 }).filter((l) => l.includes("none"));
  it("saves what the hand made, in the order in which it was made, and nothing else", async () => {
    alone = true;
    await fc.assert(
      fc.asyncProperty(fc.array(acts(false), { minLength: 1, maxLength: 25 }), order, async (list, broken) => {
        const s = await play(list, broken);
        expect(dataOf(server.doc)).toEqual(dataOf(hand.doc));
        expect(dataOf(s.doc)).toEqual(dataOf(hand.doc));
        expect(new Set(server.steps.map((x) => x.key)).size).toBe(server.steps.length);
        s.close();
      }),
      { numRuns: Number(process.env.RANDOM_RUNS ?? 60) },
    );
  }, 120_000);
  it("shows what the server has once all is sent, whatever others did and however often the tab was closed", async () => {
    alone = false;
    await fc.assert(
      fc.asyncProperty(fc.array(acts(true), { minLength: 1, maxLength: 25 }), order, async (list, broken) => {
        const s = await play(list, broken);
        // What others did last is told.
        const data = JSON.stringify({ type: "step", projectId: "p", versionId: "v", revision: server.steps.length });
        for (const stream of streams) stream.onmessage?.({ data });
        await vi.waitFor(() => expect(dataOf(s.doc)).toEqual(dataOf(server.doc)), { timeout: 5000, interval: 1 });
        s.close();
      }),
      { numRuns: Number(process.env.RANDOM_RUNS ?? 40) },
    );
  }, 120_000);
});
