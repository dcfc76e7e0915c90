"use client";
import type { Clip } from "@wet-thread/core/model/schema";
import { formatClock } from "@wet-thread/core/time/format";
import { session, useSession } from "@/state/sync/session";
import { useView } from "@/state/view/view";
import { useShownDoc, useShownRange } from "@/timeline/model/shown";
import { Field } from "@/ui/controls";
import { BundlePart } from "./clip/BundlePart";
import { EnvelopesPart } from "./clip/EnvelopesPart";
import { FadesPart } from "./clip/FadesPart";
import { HitsPart } from "./clip/HitsPart";
import { LevelPart } from "./clip/LevelPart";
import { PiecePart } from "./clip/PiecePart";
import { PlacePart } from "./clip/PlacePart";
import { RangePart } from "./clip/RangePart";
import { TimePart } from "./clip/TimePart";
import { WholePart } from "./clip/WholePart";
import { TreatPart } from "./treat/TreatPart";

/** What is selected: the range, the clips in parts that fold, or with nothing selected the piece. */
export function ClipTab() {
  const doc = useShownDoc();
  const range = useShownRange();
  const ids = useView((v) => v.clipIds);
  const clips = [...ids].map((id) => doc.clips.get(id)).filter((c) => c !== undefined);
  if (range) return <RangePart doc={doc} range={range} />;
  if (clips.length === 0) return <PiecePart />;
  return (
    <div>
      <NamePart clips={clips} />
      <BundlePart />
      <PlacePart clips={clips} />
      <LevelPart clips={clips} />
      <FadesPart clips={clips} />
      <TimePart clips={clips} />
      <TreatPart clips={clips} />
      <HitsPart clips={clips} />
      <EnvelopesPart clips={clips} />
      <WholePart clips={clips} />
    </div>
  );
}

function NamePart({ clips }: { clips: readonly Clip[] }) {
  const doc = useSession((s) => s.doc);
  const [clip] = clips;
  return (
    <>
      <Field
        label="Name"
        numeric={false}
        className="font-semibold"
        value={clips.length === 1 ? clip.name : `${clips.length} clips`}
        onCommit={(name) => session().edit([{ type: "set-clip", clipIds: clips.map((c) => c.id), name }])}
      />
      {clips.length === 1 && (
        <p className="mt-1.5 text-ink-3 text-sm">
          from {doc.sources.get(clip.sourceId)?.name ?? "a missing recording"}, at {formatClock(clip.offset, doc.sampleRate)} in it
        </p>
      )}
    </>
  );
}
