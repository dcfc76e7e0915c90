"use client";
import { addMarker } from "@/commands/edit/marks";
import { useSettings } from "@/state/kept/settings";
import { session } from "@/state/sync/session";
import { view } from "@/state/view/view";
import { snapped } from "@/timeline/model/snapping";
import { rulerRows } from "@/timeline/paint/rulers";
import { LoopBar } from "./LoopBar";
import { Markers } from "./Markers";
import { Row } from "./parts";
import { Sections } from "./Sections";
import { TempoAndMeter } from "./TempoAndMeter";

/** Marks on the rulers that are things of their own: sections, markers, tempo and meter, and the loop. */
export function RulerMarks() {
  const rulers = useSettings((s) => s.rulers);
  const rows = rulerRows(rulers);
  const sections = rows.find((r) => r.kind === "sections");
  const tempo = rows.find((r) => r.kind === "tempo");
  const counted = rows.find((r) => r.kind !== "sections" && r.kind !== "tempo");
  return (
    <div className="pointer-events-none absolute inset-0 overflow-hidden">
      {sections && (
        <Row top={sections.top} height={sections.height} label="Sections and markers">
          <button
            type="button"
            tabIndex={-1}
            aria-label="Double-click to set a marker here"
            className="pointer-events-auto absolute inset-0 cursor-default"
            onDoubleClick={(e) => {
              const at = view().start + (e.clientX - e.currentTarget.getBoundingClientRect().left) * view().samplesPerPixel;
              addMarker(snapped(session().doc, { wanted: Math.max(0, at), origin: 0 }).position);
            }}
          />
          <Sections />
          <Markers />
        </Row>
      )}
      {tempo && (
        <Row top={tempo.top} height={tempo.height} label="Tempo and meter">
          <TempoAndMeter />
        </Row>
      )}
      {counted && (
        <div className="absolute inset-x-0 h-[5px]" style={{ top: counted.top }}>
          <LoopBar />
        </div>
      )}
    </div>
  );
}
