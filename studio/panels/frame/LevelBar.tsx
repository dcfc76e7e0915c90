"use client";
import { useEffect, useRef } from "react";
import { type Meters, useMeters } from "@/engine/transport";

/** dB at which a bar begins; it ends at full scale. */
const FLOOR = -48;
/** The loudest moment stays to be read for this long, in ms, then falls by so much of the bar a second. */
const HOLD_MS = 1500;
const FALL = 0.6;

/** How far a level fills a bar, 0 to 1. */
export const partOf = (peak: number): number => (peak > 0 ? Math.min(1, Math.max(0, 1 - (20 * Math.log10(peak)) / FLOOR)) : 0);

/** A level while it plays, with its loudest moment held for a while; written straight into the page. */
export function LevelBar({ level, color, thick = 3 }: { level: (meters: Meters) => number; color: string; thick?: number }) {
  const bar = useRef<HTMLDivElement>(null);
  const hold = useRef<HTMLDivElement>(null);
  const read = useRef(level);
  read.current = level;
  useEffect(() => {
    let held = { part: 0, at: 0, seen: 0 };
    return useMeters.subscribe((meters) => {
      const now = performance.now();
      const peak = read.current(meters);
      const part = partOf(peak);
      const fallen = now - held.at > HOLD_MS ? held.part - ((now - Math.max(held.seen, held.at + HOLD_MS)) / 1000) * FALL : held.part;
      held = part >= fallen ? { part, at: now, seen: now } : { part: fallen, at: held.at, seen: now };
      if (bar.current) bar.current.style.transform = `scaleX(${part.toFixed(3)})`;
      if (hold.current) {
        hold.current.style.left = `${(held.part * 100).toFixed(1)}%`;
        hold.current.style.opacity = held.part > 0 ? "1" : "0";
        hold.current.style.background = peak > 1 || held.part >= 1 ? "var(--madder)" : "var(--ink-2)";
      }
    });
  }, []);
  return (
    <div className="relative overflow-hidden rounded-full bg-weft" style={{ height: thick }} aria-hidden>
      <div ref={bar} className="h-full origin-left" style={{ background: color, transform: "scaleX(0)" }} />
      <div ref={hold} className="absolute inset-y-0 -ml-[2px] w-[2px]" style={{ opacity: 0 }} />
    </div>
  );
}
