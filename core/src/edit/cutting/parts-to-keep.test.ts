import fc from "fast-check";
import { expect, it } from "vitest";
import { clipOfPart, KeptPart } from "../../model/clip/kept-part";
import { blendAfter } from "../../model/document";
import { problems } from "../../model/invariants";
import { type Clip, clipEnd, NO_FADE } from "../../model/schema";
import { documentOf, documents, plainClip } from "../../testing/arbitraries";
import { edited, edits } from "../../testing/edits";
import { applyEdits } from "../registry";
import { sliceOf } from "./parts";
import { partsToKeep } from "./parts-to-keep";

const ids = () => {
  let n = 0;
  return () => `part${n++}`;
};

it("a part that is kept plays, wherever it is laid, what it played in its clip, without the curves that it shared", () => {
  fc.assert(
    fc.property(documents, fc.array(edits, { maxLength: 12 }), fc.nat(), fc.nat(), fc.nat(200_000), (start, list, a, b, at) => {
      const doc = edited(start, list);
      for (const clip of [...doc.clips.values()].slice(0, 6)) {
        const from = clip.start + (a % clip.length);
        const span = { start: from, end: from + 1 + (b % clip.length) };
        const [kept] = partsToKeep(doc, [clip.id], span, new Map(), ids());
        // It is read back as it was written.
        const part = KeptPart.parse(JSON.parse(JSON.stringify(kept.part)));
        expect(part).toEqual(kept.part);
        const laying = [
          { type: "add-track", id: "fresh", name: "Fresh" },
          { type: "paste", at, clips: [clipOfPart(kept.sourceId, part, "fresh", 0)] },
        ];
        const { doc: after } = applyEdits(doc, laying);
        expect(problems(after)).toEqual([]);
        const [laid] = after.lanes.get("fresh")?.clips ?? [];
        const edges = { ...(clip.blend && { fadeIn: NO_FADE }), ...(blendAfter(doc, clip) && { fadeOut: NO_FADE }) };
        const was = sliceOf({ ...clip, ...edges }, span.start, span.end) as Clip;
        const sound = ({ sourceId, offset, length, gain, pan, fadeIn, fadeOut, channels, recipe, envelopes }: Clip) => ({
          ...{ sourceId, offset, length, gain, pan, fadeIn, fadeOut },
          ...{ channels, recipe, envelopes },
        });
        expect([laid.start, sound(laid)]).toEqual([at, sound(was)]);
      }
    }),
    { numRuns: 150 },
  );
});

it("parts are called as their clips are, each with a name of its own; outside the span nothing is kept", () => {
  const doc = documentOf(1, [plainClip({ id: "c0", name: "Word" }), plainClip({ id: "c1", start: 2000, name: "Word" })]);
  const taken = new Map([[plainClip({ id: "x" }).sourceId, new Set(["Word"])]]);
  expect(partsToKeep(doc, ["c0", "c1"], null, taken, ids()).map((k) => k.part.name)).toEqual(["Word, part 2", "Word, part 3"]);
  expect(partsToKeep(doc, ["c0", "c1"], { start: 0, end: 500 }, new Map(), ids()).map((k) => k.part.length)).toEqual([500]);
  expect(clipEnd(doc.clips.get("c0") as Clip)).toBeGreaterThan(500);
});
