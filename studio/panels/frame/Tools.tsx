"use client";
import { Command, Keyboard, Layers2, List, ListChecks, Lock, LockOpen, Maximize2, ScanSearch } from "lucide-react";
import { closeUp, zoomToSelection } from "@/commands/edit/actions";
import { keyOf } from "@/commands/keys";
import { barItems } from "@/commands/menus/menus";
import { setView, TOOLS, useView } from "@/state/view/view";
import { TIMELINE_TOOLS } from "@/timeline/tools/tools";
import { IconButton } from "@/ui/controls";
import { Menu } from "@/ui/menu";

/** The pointer and the single-purpose tools; a tool is borrowed for as long as its key is held. */
export function Tools() {
  const tool = useView((v) => v.tool);
  const picking = useView((v) => v.picking);
  const fanned = useView((v) => v.fanned);
  const locked = useView((v) => v.locked);
  const close = useView((v) => v.tall !== null);
  return (
    <Menu items={barItems.tools}>
      <nav
        aria-label="Tools"
        className="flex w-11 shrink-0 flex-col items-center gap-1 overflow-y-auto overflow-x-hidden border-line border-r py-2 [scrollbar-width:none] [&>*]:shrink-0"
      >
        {TOOLS.map((id) => {
          const { name, does, icon: Icon } = TIMELINE_TOOLS[id];
          return (
            <IconButton
              key={id}
              label={does ? `${name}: ${does}` : name}
              keys={keyOf(`tool-${id}`)}
              on={tool === id}
              side="right"
              onClick={() => setView({ tool: id })}
            >
              <Icon size={16} />
            </IconButton>
          );
        })}
        <span className="my-1 h-px w-6 bg-line" />
        <IconButton
          label="Pick several: each click adds or takes out"
          keys={keyOf("picking")}
          on={picking}
          side="right"
          onClick={() => setView({ picking: !picking })}
        >
          <ListChecks size={16} />
        </IconButton>
        <IconButton label="Look through the layers" keys={keyOf("fan")} on={fanned} side="right" onClick={() => setView({ fanned: !fanned })}>
          <Layers2 size={16} />
        </IconButton>
        <IconButton
          label={locked ? "Lift the lock of the view" : "Lock the view: nothing can be edited, a drag scrolls"}
          keys={keyOf("lock")}
          on={locked}
          side="right"
          onClick={() => setView({ locked: !locked })}
        >
          {locked ? <Lock size={16} /> : <LockOpen size={16} />}
        </IconButton>
        <IconButton label="Find a command" keys={keyOf("palette")} side="right" onClick={() => setView({ panel: "palette" })}>
          <Command size={16} />
        </IconButton>
        <IconButton label="Keys: see and change them" keys={keyOf("keys")} side="right" onClick={() => setView({ panel: "keys" })}>
          <Keyboard size={16} />
        </IconButton>
        <IconButton label="Tracks, clips and seams as a list" keys={keyOf("list")} side="right" onClick={() => setView({ panel: "list" })}>
          <List size={16} />
        </IconButton>
        <span className="my-1 h-px w-6 bg-line" />
        <IconButton label="Zoom to the selection, or to all of it" keys={keyOf("zoom-selection")} side="right" onClick={zoomToSelection}>
          <ScanSearch size={16} />
        </IconButton>
        <IconButton
          label={close ? "Back from the close-up" : "Close-up of what is selected"}
          keys={keyOf("close-up")}
          on={close}
          side="right"
          onClick={closeUp}
        >
          <Maximize2 size={16} />
        </IconButton>
      </nav>
    </Menu>
  );
}
