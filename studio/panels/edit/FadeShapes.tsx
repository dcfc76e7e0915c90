import { curveGain } from "@wet-thread/core/dsp/fades";
import { FADE_SHAPES, type FadeShape } from "@wet-thread/core/model/schema";
import clsx from "clsx";
import { Radios } from "@/ui/radios";

/** A rising curve as a small drawing. */
export function CurvePath({ shape, bend = 0 }: { shape: FadeShape; bend?: number }) {
  const points = Array.from({ length: 25 }, (_, i) => `${(i / 24) * 28 + 3},${21 - curveGain(shape, bend, i / 24) * 17}`);
  return <polyline points={points.join(" ")} fill="none" stroke="currentColor" strokeWidth="1.8" strokeLinecap="round" />;
}

export const SHAPE_NAMES: Readonly<Record<FadeShape, string>> = {
  straight: "Straight",
  power: "Equal power",
  s: "S",
  slow: "Slow start",
  fast: "Fast start",
};

export function Shapes({ value, bend, onChange }: { value: FadeShape; bend?: number; onChange: (shape: FadeShape) => void }) {
  return (
    <Radios
      label="Shape"
      className="flex gap-1.5"
      value={value}
      onChange={onChange}
      options={FADE_SHAPES.map((shape) => ({
        id: shape,
        label: SHAPE_NAMES[shape],
        title: SHAPE_NAMES[shape],
        className: clsx(
          "grid h-8 flex-1 place-items-center rounded-md border bg-raised",
          shape === value ? "border-ink ring-1 ring-ink" : "border-line text-ink-2 hover:border-ink-3",
        ),
        children: (
          <svg viewBox="0 0 34 24" className="h-6" aria-hidden>
            <CurvePath shape={shape} bend={shape === value ? bend : 0} />
          </svg>
        ),
      }))}
    />
  );
}
