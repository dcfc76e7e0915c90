"use client";
import { BetweenVerticalStart, MousePointer2, SquareDashed, ZoomIn } from "lucide-react";
import { zoomToSelection } from "@/commands/actions";
import { keyOf } from "@/commands/commands";
import { setView, type Tool, useView } from "@/state/view";
import { IconButton } from "@/ui/controls";

const TOOLS: readonly (readonly [Tool, string, typeof MousePointer2])[] = [
  ["pointer", "Pointer: what it does depends on where", MousePointer2],
  ["range", "Range", SquareDashed],
  ["split", "Split", BetweenVerticalStart],
];

export function Tools() {
  const tool = useView((v) => v.tool);
  return (
    <nav aria-label="Tools" className="flex w-11 shrink-0 flex-col items-center gap-1 border-line border-r py-2">
      {TOOLS.map(([id, label, Icon]) => (
        <IconButton key={id} label={label} keys={keyOf(`tool-${id}`)} on={tool === id} side="right" onClick={() => setView({ tool: id })}>
          <Icon size={16} />
        </IconButton>
      ))}
      <span className="my-1 h-px w-6 bg-line" />
      <IconButton label="Zoom to the selection" keys={keyOf("zoom-selection")} side="right" onClick={zoomToSelection}>
        <ZoomIn size={16} />
      </IconButton>
    </nav>
  );
}
