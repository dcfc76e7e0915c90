import { timebaseOf } from "@wet-thread/core/model/document";
import type { Marker } from "@wet-thread/core/model/schema";
import { formatPosition } from "@wet-thread/core/time/format";
import { type CSSProperties, useState } from "react";
import { closeMark } from "@/commands/edit/marks";
import { session, useSession } from "@/state/sync/session";
import { setView, useView, view } from "@/state/view/view";
import { dragPoint } from "@/timeline/gestures/drag-point";
import { Button, Field, Swatches } from "@/ui/controls";
import { MarkPanel, typed, useScale } from "./parts";

export function Markers() {
  const markers = useSession((s) => s.doc.markers);
  return [...markers.values()].map((m) => <MarkerMark key={m.id} marker={m} />);
}

function MarkerMark({ marker }: { marker: Marker }) {
  const { px, width } = useScale();
  const [moving, setMoving] = useState<number | null>(null);
  const open = useView((v) => v.markPanel && v.markId === marker.id);
  const base = timebaseOf(useSession((s) => s.doc));
  const x = px(moving ?? marker.position);
  if (x < -60 || x > width + 10) return null;
  const set = (change: Partial<Marker>): void => void session().edit([{ type: "set-marker", id: marker.id, ...change }]);
  const mark = (
    <button
      type="button"
      aria-label={`Marker ${marker.name}`}
      data-mark={marker.id}
      title={marker.name}
      className="pointer-events-auto absolute bottom-px flex h-[14px] cursor-ew-resize touch-none max-w-[220px] items-center truncate whitespace-nowrap rounded-r-sm pr-1.5 pl-1 font-semibold text-[10.5px] leading-none"
      style={
        {
          left: x,
          background: `color-mix(in srgb, var(--${marker.color}) 28%, var(--raised))`,
          borderLeft: `2px solid var(--${marker.color})`,
        } as CSSProperties
      }
      onPointerDown={(e) =>
        dragPoint(
          e,
          { origin: marker.position, exceptMark: marker.id },
          {
            show: setMoving,
            commit: (position) => set({ position }),
            click: () => setView({ markId: marker.id, markPanel: true, playhead: view().playing ? view().playhead : marker.position }),
          },
        )
      }
    >
      {marker.name}
    </button>
  );
  return (
    <MarkPanel open={open} onClose={closeMark} at={mark}>
      <Field label="Name of the marker" numeric={false} value={marker.name} onCommit={(name) => set({ name })} />
      <Field
        label="Position of the marker"
        value={formatPosition(marker.position, "bars", base)}
        onCommit={(t) => typed(t, marker.position, (position) => set({ position }))}
      />
      <Swatches value={marker.color} onChange={(color) => set({ color })} />
      <Button className="w-full" onClick={() => session().edit([{ type: "remove-marker", id: marker.id }])}>
        Remove
      </Button>
    </MarkPanel>
  );
}
