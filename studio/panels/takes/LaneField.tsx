"use client";
import { picksOf } from "@wet-thread/core/edit/takes/lanes";
import { type PointerEvent as ReactPointerEvent, useMemo, useRef, useState } from "react";
import { phraseOf } from "@/commands/edit/phrase";
import { pickLane } from "@/commands/edit/takes";
import { useSession } from "@/state/sync/session";
import { toast } from "@/state/words/toast";
import { snapped } from "@/timeline/model/snapping";
import { followPointer } from "@/ui/pointer-drag";
import { LaneWave } from "./LaneWave";
import { CLICK, type LaneProps, ROW } from "./lane-look";

/** A lane's sound: swept over to pick a stretch of it, clicked to pick a phrase. */
export function LaneField({ stack, lane, seen, dye }: LaneProps) {
  const doc = useSession((s) => s.doc);
  const [sweep, setSweep] = useState<readonly [number, number] | null>(null);
  const field = useRef<HTMLDivElement>(null);
  const picked = useMemo(() => {
    const picks = picksOf(doc, stack);
    return picks.flatMap((c, i) => {
      const end = picks[i + 1]?.blend?.with === c.id ? (picks[i + 1].blend?.splice ?? 0) : c.start + c.length;
      return c.take === lane.id ? [[c.blend?.splice ?? c.start, end] as const] : [];
    });
  }, [doc, stack, lane.id]);
  const sampleAt = (clientX: number): number => seen.start + (clientX - (field.current?.getBoundingClientRect().left ?? 0)) * seen.per;
  const atX = (clientX: number): number => {
    const beside = lane.clips.map((c) => ({ ...c, start: stack.start + c.at }));
    return snapped(doc, { wanted: Math.max(0, sampleAt(clientX)), origin: 0, beside }).position;
  };
  const press = (e: ReactPointerEvent<HTMLDivElement>): void => {
    if (e.button !== 0) return;
    const [x0, from] = [e.clientX, atX(e.clientX)];
    const span = (x: number): readonly [number, number] => {
      const to = atX(x);
      return to < from ? [to, from] : [from, to];
    };
    followPointer(e.currentTarget, e.pointerId, {
      move: (m) => setSweep(Math.abs(m.clientX - x0) < CLICK ? null : span(m.clientX)),
      drop: (m) => {
        setSweep(null);
        const [a, b] = Math.abs(m.clientX - x0) < CLICK ? phraseAt(sampleAt(x0)) : span(m.clientX);
        if (b > a) pickLane(stack, lane, a, b);
      },
      cancel: () => setSweep(null),
    });
  };
  const phraseAt = (at: number): readonly [number, number] => {
    const found = phraseOf(stack, lane, at);
    if (typeof found !== "string") return found;
    toast(found, { id: "takes" });
    return [0, 0];
  };
  const x = (at: number): number => (at - seen.start) / seen.per;
  return (
    <div
      ref={field}
      data-testid={`lane-${lane.id}`}
      className="relative min-w-0 flex-1 cursor-crosshair touch-none overflow-hidden border-line border-l"
      onPointerDown={press}
    >
      <LaneWave lane={lane} start={stack.start} picked={picked} seen={seen} height={ROW - 1} dye={dye} />
      {sweep && (
        <div
          className="pointer-events-none absolute inset-y-0 border-indigo border-x-2 bg-indigo/20"
          style={{ left: x(sweep[0]), width: Math.max(1, x(sweep[1]) - x(sweep[0])) }}
        />
      )}
    </div>
  );
}
