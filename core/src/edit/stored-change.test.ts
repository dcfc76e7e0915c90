import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { applyChanges, type Document, dataOf } from "../model/document";
import { documents } from "../testing/arbitraries";
import { edits } from "../testing/edits";
import { applyEdit } from "./registry";
import { invertStored, type StoredChange, storedChanges, wholeChanges } from "./stored-change";
import { summaryOf } from "./summary";

/** What a database or a network makes of a value. */
const sent = <T>(value: T): T => JSON.parse(JSON.stringify(value)) as T;

/** Some edits one after the other: the document after each, and what was stored of it. */
function course(start: Document, list: readonly Parameters<typeof applyEdit>[1][]): { docs: Document[]; stored: StoredChange[][] } {
  const docs = [start];
  const stored: StoredChange[][] = [];
  for (const [i, edit] of list.entries()) {
    try {
      const before = docs.at(-1) as Document;
      const { doc, changes } = applyEdit(before, { ...edit, key: `test${i}` });
      if (changes.length === 0) continue;
      docs.push(doc);
      stored.push(sent(storedChanges(changes)));
    } catch {
      // Many edits are impossible.
    }
  }
  return { docs, stored };
}

describe("changes as they are kept", () => {
  it("lead from each document to the next and back, one at a time or all at once", () => {
    fc.assert(
      fc.property(documents, fc.array(edits, { minLength: 1, maxLength: 10 }), (start, list) => {
        const { docs, stored } = course(start, list);
        stored.forEach((changes, i) => {
          expect(dataOf(applyChanges(docs[i], wholeChanges(docs[i], changes)))).toEqual(dataOf(docs[i + 1]));
          const back = invertStored(changes);
          expect(dataOf(applyChanges(docs[i + 1], wholeChanges(docs[i + 1], back)))).toEqual(dataOf(docs[i]));
        });
        const last = docs.at(-1) as Document;
        expect(dataOf(applyChanges(start, wholeChanges(start, stored.flat())))).toEqual(dataOf(last));
        const allBack = [...stored].reverse().flatMap(invertStored);
        expect(dataOf(applyChanges(last, wholeChanges(last, allBack)))).toEqual(dataOf(start));
      }),
      { numRuns: 150 },
    );
  });
  it("hold only what differs", () => {
    fc.assert(
      fc.property(documents, fc.integer({ min: 1, max: 5000 }), (doc, length) => {
        const { changes } = applyEdit(doc, { type: "insert-time", at: 0, length, key: "wide" });
        for (const c of storedChanges(changes)) if (c.kind === "clip") expect(Object.keys(c.after ?? {})).toEqual(["start"]);
      }),
    );
  });
});

describe("the summary of a step", () => {
  it("counts what changed, names the tracks in order, and spans all that moved", () => {
    fc.assert(
      fc.property(documents, edits, (doc, edit) => {
        let outcome: ReturnType<typeof applyEdit>;
        try {
          outcome = applyEdit(doc, { ...edit, key: "one" });
        } catch {
          return;
        }
        const s = summaryOf(doc, outcome.doc, outcome.changes);
        expect(s.clips + s.tracks + s.markers + s.sections + s.bundles + (s.piece ? 1 : 0)).toBe(outcome.changes.length);
        const names = [...doc.piece.trackOrder, ...outcome.doc.piece.trackOrder].map(
          (id) => (outcome.doc.tracks.get(id) ?? doc.tracks.get(id))?.name,
        );
        for (const name of s.on) expect(names).toContain(name);
        for (const c of outcome.changes)
          if (c.kind === "clip")
            for (const clip of [c.before, c.after])
              if (clip) {
                expect(s.start).toBeLessThanOrEqual(clip.start);
                expect(s.end).toBeGreaterThanOrEqual(clip.start + clip.length);
              }
      }),
    );
  });
});
