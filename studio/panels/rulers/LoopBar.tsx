import { useState } from "react";
import { session, useSession } from "@/state/sync/session";
import { dragPoint } from "@/timeline/gestures/drag-point";
import { useScale } from "./parts";

export function LoopBar() {
  const loop = useSession((s) => s.doc.piece.loop);
  const { px } = useScale();
  const [moving, setMoving] = useState<{ start: number; end: number } | null>(null);
  if (!loop) return null;
  const shown = moving ?? loop;
  const set = (start: number, end: number): void => void session().edit([{ type: "set-loop", loop: { ...loop, start, end } }]);
  const length = loop.end - loop.start;
  return (
    <button
      type="button"
      aria-label={`Loop ${loop.on ? "on" : "off"}`}
      className="pointer-events-auto absolute inset-y-0 cursor-grab touch-none rounded-[1px]"
      style={{ left: px(shown.start), width: Math.max(4, px(shown.end) - px(shown.start)), background: loop.on ? "var(--indigo)" : "var(--ink-3)" }}
      onPointerDown={(e) =>
        dragPoint(
          e,
          { origin: loop.start },
          {
            show: (at) => setMoving(at === null ? null : { start: at, end: at + length }),
            commit: (at) => set(at, at + length),
            click: () => session().edit([{ type: "set-loop", loop: { ...loop, on: !loop.on } }], loop.on ? "Loop off" : "Loop on"),
          },
        )
      }
    >
      <span
        className="absolute inset-y-0 -left-1 w-2.5 cursor-ew-resize"
        onPointerDown={(e) =>
          dragPoint(
            e,
            { origin: loop.start, most: loop.end - 1 },
            { show: (at) => setMoving(at === null ? null : { start: at, end: loop.end }), commit: (at) => set(at, loop.end) },
          )
        }
      />
      <span
        className="absolute inset-y-0 -right-1 w-2.5 cursor-ew-resize"
        onPointerDown={(e) =>
          dragPoint(
            e,
            { origin: loop.end, least: loop.start + 1 },
            { show: (at) => setMoving(at === null ? null : { start: loop.start, end: at }), commit: (at) => set(loop.start, at) },
          )
        }
      />
    </button>
  );
}
