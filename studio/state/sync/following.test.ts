import { documentFrom, NEW_PIECE } from "@wet-thread/core/model/document";
import { afterEach, expect, test, vi } from "vitest";
import { Following } from "./following";

const empty = () => documentFrom({ sampleRate: 48_000, piece: NEW_PIECE, tracks: [], clips: [], markers: [], sections: [] }, new Map());
const step = (revision: number) => ({ revision, name: "Step", kind: "edit", key: null, row: null, target: null, changes: [] });

/** A server that answers when it is told to. */
function slowServer() {
  const asked: { after: number; answer: (steps: object[], revision: number) => void }[] = [];
  vi.stubGlobal("fetch", (path: string) => {
    return new Promise((done) => {
      const answer = (steps: object[], revision: number): void => done(new Response(JSON.stringify({ steps, revision })));
      asked.push({ after: Number(new URL(path, "http://x").searchParams.get("after")), answer });
    });
  });
  return asked;
}
afterEach(() => vi.unstubAllGlobals());
const soon = (check: () => void) => vi.waitFor(check, { interval: 1 });

test("a revision that is seen while an answer from before it is on its way is fetched too", async () => {
  const asked = slowServer();
  const following = new Following("v", empty(), 1, () => {});
  // The line was broken: something may have been missed.
  following.seen();
  await soon(() => expect(asked).toHaveLength(1));
  // The server has read the steps when somebody makes another one.
  following.seen(2);
  asked[0].answer([], 1);
  await soon(() => expect(asked).toHaveLength(2));
  asked[1].answer([step(2)], 2);
  await soon(() => expect(following.revision).toBe(2));
});

test("a line that breaks again while an answer is on its way is looked after again", async () => {
  const asked = slowServer();
  const following = new Following("v", empty(), 1, () => {});
  following.seen();
  await soon(() => expect(asked).toHaveLength(1));
  following.seen();
  asked[0].answer([], 1);
  await soon(() => expect(asked).toHaveLength(2));
  asked[1].answer([], 1);
});

test("a revision that was told by mistake is asked for once", async () => {
  const asked = slowServer();
  const following = new Following("v", empty(), 1, () => {});
  following.seen(9);
  await soon(() => expect(asked).toHaveLength(1));
  asked[0].answer([step(2)], 2);
  await soon(() => expect(following.revision).toBe(2));
  following.seen(2);
  expect(asked).toHaveLength(1);
});
