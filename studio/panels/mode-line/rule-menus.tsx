"use client";
import type { ReactNode } from "react";
import { keyOf } from "@/commands/keys";
import { type Neighbours, type Overlaps, type Reach, type Settings, setSettings } from "@/state/kept/settings";
import { Key, Picture, Segments } from "@/ui/controls";

export const Heading = ({ children, side }: { children: ReactNode; side?: ReactNode }) => (
  <h3 className="mt-3 mb-1.5 flex justify-between text-ink-2 text-sm first:mt-0">
    <span>{children}</span>
    {side && <span className="text-ink-3">{side}</span>}
  </h3>
);

export const cloth = (x: number, w = 26, fill = "var(--indigo)", opacity = 0.2, y = 8, h = 13) => (
  <rect x={x} y={y} width={w} height={h} rx="2" fill={fill} fillOpacity={opacity} stroke={fill} strokeWidth="1.2" />
);
export const line = (x: number, color = "var(--line)") => <path key={x} d={`M${x} 2V26`} stroke={color} strokeWidth="1.2" />;

export const NEIGHBOUR_WORDS: Readonly<Record<Neighbours, string>> = {
  hold: "stay put",
  ripple: "move along",
  reorder: "change places",
  place: "stay, drops ask",
};
export const REACH_WORDS: Readonly<Record<Reach, string>> = { track: "this track", linked: "linked tracks", all: "all tracks" };

const before = (x: number, w: number, fill: string) => cloth(x, w, fill, 0.16, 1, 11);
const after = (x: number, w: number, fill: string) => cloth(x, w, fill, 0.3, 16, 11);
const [A, B, C] = ["var(--indigo)", "var(--fern)", "var(--walnut)"];

/** What neighbours do, each choice drawn as before (above) and after (below), and the reach of a ripple. */
export function NeighbourMenu({ set }: { set: Settings }) {
  const pick = (neighbours: Neighbours) => ({
    on: set.neighbours === neighbours,
    onClick: () => setSettings({ neighbours }),
    keys: keyOf(`neighbours-${neighbours}`),
  });
  return (
    <div>
      <Heading side="before above, after below">What neighbours do</Heading>
      <div className="grid grid-cols-2 gap-2">
        <Picture label="Stay put" {...pick("hold")}>
          {before(4, 24, A)}
          {before(32, 22, B)}
          {before(58, 24, C)}
          {after(4, 24, A)}
          {after(58, 24, C)}
        </Picture>
        <Picture label="Move along" {...pick("ripple")}>
          {before(4, 24, A)}
          {before(32, 22, B)}
          {before(58, 24, C)}
          {after(4, 24, A)}
          {after(32, 24, C)}
          <path d="M78 21.5H62m5-3.5-5 3.5 5 3.5" fill="none" stroke="var(--ink-3)" strokeWidth="1.2" />
        </Picture>
        <Picture label="Change places" {...pick("reorder")}>
          {before(4, 24, A)}
          {before(32, 22, B)}
          {before(58, 24, C)}
          {after(4, 22, B)}
          {after(30, 24, C)}
          {after(58, 24, A)}
        </Picture>
        <Picture label="Stay, each drop asks" {...pick("place")}>
          {before(4, 24, A)}
          {after(50, 24, A)}
          <rect x="40" y="3" width="46" height="9" rx="2" fill="var(--raised)" stroke="var(--ink-3)" />
          <path d="M44 7.5h14m3 0h8" stroke="var(--ink-2)" strokeWidth="1.4" />
        </Picture>
      </div>
      <p className="mt-2 text-ink-2 text-sm">
        {set.neighbours === "hold"
          ? "Nothing else moves; gaps stay."
          : set.neighbours === "ripple"
            ? "What is later moves along: gaps close and open, trims too."
            : set.neighbours === "reorder"
              ? "The clips of a track are a row: one goes in at the line, the others make room."
              : "A small field asks for the exact position of each drop."}
      </p>
      <Heading side={<Key>{keyOf("reach")}</Key>}>Moving along reaches</Heading>
      <Segments
        label="Reach"
        value={set.reach}
        onChange={(reach) => setSettings({ reach })}
        options={[
          ["track", "This track"],
          ["linked", "Linked tracks"],
          ["all", "All tracks"],
        ]}
      />
      {set.reach === "all" && <p className="mt-1.5 text-ink-3 text-sm">Markers, sections, tempo and meter move too.</p>}
      <p className="mt-3 text-ink-2 text-sm">
        Hold <Key>{keyOf("neighbours-hold")}</Key>–<Key>{keyOf("neighbours-place")}</Key> during a drag to use one for just that drag.
      </p>
    </div>
  );
}

export const OVERLAP_WORDS: Readonly<Record<Overlaps, string>> = { blend: "blend", layer: "lie over", cover: "cover" };

/** What happens where a clip lands on another, drawn as before (above) and after (below). */
export function OverlapMenu({ set }: { set: Settings }) {
  const pick = (overlaps: Overlaps) => ({
    on: set.overlaps === overlaps,
    onClick: () => setSettings({ overlaps }),
    keys: keyOf(`overlaps-${overlaps}`),
  });
  const X = "var(--cochineal)";
  return (
    <div>
      <Heading>When a clip lands on another</Heading>
      <div className="grid grid-cols-3 gap-2">
        <Picture label="Blend" {...pick("blend")}>
          {before(6, 44, X)}
          {before(62, 28, A)}
          <path d="M6 27V16H40L52 27Z" fill={X} fillOpacity="0.3" stroke={X} strokeWidth="1.2" />
          <path d="M34 27L46 16H72V27Z" fill={A} fillOpacity="0.3" stroke={A} strokeWidth="1.2" />
        </Picture>
        <Picture label="Lie over" {...pick("layer")}>
          {before(6, 44, X)}
          {before(62, 28, A)}
          {after(6, 44, X)}
          <rect x="36" y="14" width="36" height="11" rx="2" fill="var(--raised)" />
          {cloth(36, 36, A, 0.3, 14, 11)}
          <path d="M50 25V28" stroke={X} strokeDasharray="2 1.5" />
        </Picture>
        <Picture label="Cover" {...pick("cover")}>
          {before(6, 44, X)}
          {before(62, 28, A)}
          {after(6, 29, X)}
          {after(36, 36, A)}
        </Picture>
      </div>
      <p className="mt-3 text-ink-2 text-sm">
        {set.overlaps === "blend"
          ? "The overlap becomes a crossfade."
          : set.overlaps === "layer"
            ? "The clip on top is heard; what lies beneath is kept whole."
            : "What lies beneath is trimmed away; undo brings it back."}
      </p>
      {set.overlaps === "blend" && (
        <label className="mt-2.5 flex items-center gap-2 text-sm">
          <input type="checkbox" checked={set.keepAttacks} onChange={(e) => setSettings({ keepAttacks: e.target.checked })} />
          Keep attacks: a blend ends before a hit of the later clip
        </label>
      )}
      <p className="mt-2 text-ink-2 text-sm">
        Hold <Key>{keyOf("overlaps-blend")}</Key>–<Key>{keyOf("overlaps-cover")}</Key> during a drag to use one for just that drag.
      </p>
    </div>
  );
}
