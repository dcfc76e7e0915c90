"use client";
import { biquadOf, responseDb } from "@wet-thread/core/dsp/treat/biquad";
import { reductionDb } from "@wet-thread/core/dsp/treat/dynamics";
import type { Processor, ProcessorKind } from "@wet-thread/core/model/recipe/treatment";

const FILTERS: ReadonlySet<ProcessorKind> = new Set(["lowCut", "highCut", "lowShelf", "highShelf", "bell", "notch"]);
const [WIDE, HIGH, MOST_DB] = [246, 74, 18];

/** The curve of all filters together, from 20 Hz to 20 kHz. */
export function Curve({ chain, rate }: { chain: readonly Processor[]; rate: number }) {
  const filters = chain.filter((p) => p.on && FILTERS.has(p.kind)).map((p) => biquadOf(p as Parameters<typeof biquadOf>[0], rate));
  if (filters.length === 0) return null;
  const y = (db: number): number => HIGH / 2 - (Math.max(-MOST_DB, Math.min(MOST_DB, db)) / MOST_DB) * (HIGH / 2 - 3);
  const x = (hz: number): number => (Math.log(hz / 20) / Math.log(1000)) * WIDE;
  const points = Array.from({ length: 124 }, (_, i) => {
    const hz = 20 * 1000 ** (i / 123);
    return `${x(hz).toFixed(1)},${y(filters.reduce((sum, f) => sum + responseDb(f, Math.min(hz, 0.49 * rate), rate), 0)).toFixed(1)}`;
  });
  return (
    <svg
      viewBox={`0 0 ${WIDE} ${HIGH + 12}`}
      className="mt-2 w-full rounded-sm border border-line bg-cloth"
      role="img"
      aria-label="What the filters let through"
    >
      {[100, 1000, 10_000].map((hz) => (
        <g key={hz}>
          <line x1={x(hz)} x2={x(hz)} y1={0} y2={HIGH} className="stroke-line" />
          <text x={x(hz)} y={HIGH + 9} textAnchor="middle" className="fill-ink-2" fontSize="9">
            {hz < 1000 ? hz : `${hz / 1000}k`}
          </text>
        </g>
      ))}
      <line x1={0} x2={WIDE} y1={HIGH / 2} y2={HIGH / 2} className="stroke-ink-3" strokeDasharray="3 3" />
      <polyline points={points.join(" ")} fill="none" className="stroke-indigo" strokeWidth="1.8" />
    </svg>
  );
}

const [LEVELS, LOWEST] = [96, -72];

/** What a gate or a compressor makes of a level: what comes in runs to the right, what goes out upwards, both in dB below full scale. */
export function LevelCurve({ p }: { p: Extract<Processor, { kind: "gate" | "compressor" }> }) {
  const place = (db: number): number => (Math.max(LOWEST, Math.min(0, db)) / -LOWEST + 1) * LEVELS;
  const out = (db: number): number => (p.kind === "gate" ? (db >= p.threshold ? db : db + p.floor) : db - reductionDb(db, p) + p.makeUp);
  const points = Array.from({ length: 145 }, (_, i) => {
    const db = LOWEST + (i * -LOWEST) / 144;
    return `${place(db).toFixed(1)},${(LEVELS - place(out(db))).toFixed(1)}`;
  });
  return (
    <svg
      viewBox={`0 0 ${LEVELS} ${LEVELS}`}
      className="col-span-2 mx-auto size-[110px] rounded-sm border border-line bg-cloth"
      role="img"
      aria-label={`What the ${p.kind} makes of a level`}
    >
      <line x1={0} x2={LEVELS} y1={LEVELS} y2={0} className="stroke-ink-3" strokeDasharray="3 3" />
      <line x1={place(p.threshold)} x2={place(p.threshold)} y1={0} y2={LEVELS} className="stroke-weld" />
      <polyline points={points.join(" ")} fill="none" className="stroke-indigo" strokeWidth="1.8" />
    </svg>
  );
}
