// @vitest-environment happy-dom
import http from "node:http";
import type { Edit } from "@wet-thread/core/edit/registry";
import { dataOf } from "@wet-thread/core/model/document";
import { afterAll, beforeAll, expect, it, vi } from "vitest";
import { FakeServer } from "../../studio/state/sync/fake-server";
import { closeParked, Session } from "../../studio/state/sync/session";
import { toast } from "../../studio/state/words/toast";
import { BadLine } from "../bad-line";
import { BASE, newProject } from "../client";

// The page's own way to the server (its queue, what it follows, what it keeps) over a line that is as bad as can be: what the hand did is what
// the server has, each step once, in its order, whichever version it was done in.

vi.mock("../../studio/state/sync/retry", () => ({ restFor: () => new Promise((wake) => setTimeout(wake, 1)) }));

/** Things done; a long look takes 10,000. */
const ACTS = Number(process.env.WET_THREAD_ACTS ?? 600);
const SEED = Number(process.env.WET_THREAD_SEED ?? 7);

/** Numbers from 0 up to 1, the same for a seed (mulberry32). */
function seeded(seed: number): () => number {
  let state = seed;
  return () => {
    state = (state + 0x6d2b79f5) | 0;
    let t = Math.imul(state ^ (state >>> 15), 1 | state);
    t = (t + Math.imul(t ^ (t >>> 7), 61 | t)) ^ t;
    return ((t ^ (t >>> 14)) >>> 0) / 2 ** 32;
  };
}

/** What a browser's `fetch` does, to an address that may break off. */
function ask(base: string, path: string, { method = "GET", body }: { method?: string; body?: string } = {}): Promise<Response> {
  return new Promise((resolve, reject) => {
    const request = http.request(new URL(path, base), { method, headers: { "content-type": "application/json" } }, (answer) => {
      let text = "";
      answer.setEncoding("utf8");
      answer.on("data", (d) => {
        text += d;
      });
      answer.on("end", () => resolve(new Response(text, { status: answer.statusCode })));
      answer.on("error", reject);
    });
    request.on("error", reject);
    request.end(body);
  });
}

const random = seeded(SEED);
let line: BadLine;
const wrong = vi.spyOn(toast, "error");
beforeAll(async () => {
  line = await BadLine.before(BASE, random);
  vi.stubGlobal("fetch", (path: string, init?: { method?: string; body?: string }) => ask(line.url, path, init));
  vi.stubGlobal("location", { assign: () => {}, pathname: "/p/p", search: "", hash: "" });
  // What others do is nobody's here.
  vi.stubGlobal(
    "EventSource",
    class {
      close() {}
    },
  );
});
afterAll(() => {
  closeParked();
  line.close();
});

it("what the hand did is what the server has, each step once, over a line that breaks at every kind of request", async () => {
  const { projectId, versionId } = await newProject();
  const other = JSON.parse(await (await ask(BASE, `/api/projects/${projectId}/versions`, { method: "POST", body: '{"name":"Other"}' })).text()).id;
  const hands = new Map([versionId, other].map((id) => [id, new FakeServer()]));
  let count = 0;
  const pick = <T>(list: readonly T[]): T => list[Math.floor(random() * list.length)];
  const open = async (id: string): Promise<Session> => {
    for (;;)
      try {
        return await Session.open(projectId, id);
      } catch {
        // Whoever opens a page that does not come tries again.
      }
  };
  const settled = (s: Session): Promise<void> =>
    vi.waitFor(
      () => {
        const { unsent, save } = s.store.getState();
        if (unsent.length > 0 || save !== "saved") throw new Error(`${unsent.length} steps wait: ${save}`);
      },
      { timeout: 60_000, interval: 2 },
    );
  let s = await open(versionId);
  for (let n = 0; n < ACTS; n++) {
    const id = s.store.getState().versionId;
    const hand = hands.get(id) as FakeServer;
    const edit = (e: Edit, row?: string): void => {
      if (s.edit([e], undefined, row)) hand.do([e], "", undefined, row);
    };
    const tracks = s.doc.piece.trackOrder;
    const chance = random();
    if (chance < 0.25 || tracks.length === 0) edit({ type: "add-track", id: `t${++count}` });
    else if (chance < 0.45) edit({ type: "rename-track", trackId: pick(tracks), name: `Name ${++count}` }, random() < 0.5 ? "row" : undefined);
    else if (chance < 0.55) edit({ type: "set-track", trackIds: [pick(tracks)], height: 60 + (++count % 100) });
    else if (chance < 0.8) {
      const way = random() < 0.65 ? "undo" : "redo";
      const waiting = s.store.getState().unsent.length;
      s.back(way);
      // A hand that is asked to wait a moment, or has nothing to take back, has done nothing.
      if (s.store.getState().unsent.length > waiting) await hand.answer(`/api/versions/v/${way}`);
    } else if (chance < 0.9) await new Promise((wake) => setTimeout(wake, random() * 10));
    else if (chance < 0.97) {
      // To the other version, or out of the page and back, with steps on their way.
      s.park();
      if (random() < 0.3) closeParked();
      s = await open(random() < 0.5 ? id : pick([versionId, other]));
    } else {
      // The tab is closed; what it could not send is sent by the next one, before its hand goes on.
      s.close();
      s = await open(id);
      await settled(s);
    }
  }
  for (const [id, hand] of hands) {
    s.park();
    s = await open(id);
    await settled(s);
    const { tracks, trackOrder } = await (await ask(BASE, `/api/versions/${id}`)).json();
    const made = dataOf(hand.doc);
    expect({ tracks, trackOrder }).toEqual({ tracks: made.tracks, trackOrder: made.piece.trackOrder });
    const { steps } = await (await ask(BASE, `/api/versions/${id}/steps?after=0`)).json();
    const keys = steps.map((x: { key: string }) => x.key);
    expect(new Set(keys).size).toBe(keys.length);
    expect(steps.length).toBe(hand.steps.length);
  }
  // That it waits is said, and that there is nothing to take back where a page can't know that by itself; that anything was given up never.
  const said = wrong.mock.calls.map(([text]) => String(text));
  expect(said.filter((text) => !/ can.t be saved just now: |^There is nothing to (undo|redo)\.$/.test(text))).toEqual([]);
  // The line was as bad as it was meant to be.
  expect(line.counts.broken).toBeGreaterThan(ACTS / 10);
}, 900_000);
