"use client";
import clsx from "clsx";
import { Command, Keyboard, Layers2, List, ListChecks, Lock, LockOpen, type LucideIcon, Maximize2, ScanSearch } from "lucide-react";
import { closeUp, zoomToSelection } from "@/commands/edit/actions";
import { keyOf } from "@/commands/keys";
import { barItems } from "@/commands/menus/menus";
import { useSettings } from "@/state/kept/settings";
import { setView, type Tool, useView } from "@/state/view/view";
import { TIMELINE_TOOLS } from "@/timeline/tools/tools";
import { IconButton } from "@/ui/controls";
import { Menu } from "@/ui/menu";

interface ToolButton {
  /** What is said beside the icon, and what it does. */
  readonly name: string;
  readonly label: string;
  readonly command: string;
  readonly icon: LucideIcon;
  /** Whether it is on; undefined where it is no switch. */
  readonly on?: boolean;
  press(): void;
}

/** A tool as a button. */
function toolButton(id: Tool, inHand: Tool): ToolButton {
  const { name, does, icon } = TIMELINE_TOOLS[id];
  return { name, label: does ? `${name}: ${does}` : name, command: `tool-${id}`, icon, on: inHand === id, press: () => setView({ tool: id }) };
}

const EDITS: readonly Tool[] = ["pointer", "range", "split", "shift", "stretch", "draw", "stamp", "mute", "erase"];
const LOOKS: readonly Tool[] = ["listen", "zoom", "hand"];

/** The tools, in groups with what they are for. */
function useGroups(): readonly (readonly [string, readonly ToolButton[]])[] {
  const tool = useView((v) => v.tool);
  const picking = useView((v) => v.picking);
  const fanned = useView((v) => v.fanned);
  const locked = useView((v) => v.locked);
  const close = useView((v) => v.tall !== null);
  return [
    ["Edit", EDITS.map((id) => toolButton(id, tool))],
    ["Hear and look", LOOKS.map((id) => toolButton(id, tool))],
    [
      "Select and see",
      [
        {
          name: "Pick several",
          label: "Pick several: each click adds or takes out",
          command: "picking",
          icon: ListChecks,
          on: picking,
          press: () => setView({ picking: !picking }),
        },
        { name: "Layers", label: "Look through the layers", command: "fan", icon: Layers2, on: fanned, press: () => setView({ fanned: !fanned }) },
        {
          name: locked ? "Locked" : "Lock",
          label: locked ? "Lift the lock of the view" : "Lock the view: nothing can be edited, a drag scrolls",
          command: "lock",
          icon: locked ? Lock : LockOpen,
          on: locked,
          press: () => setView({ locked: !locked }),
        },
        {
          name: "To selection",
          label: "Zoom to the selection, or to all of it",
          command: "zoom-selection",
          icon: ScanSearch,
          press: zoomToSelection,
        },
        {
          name: "Close-up",
          label: close ? "Back from the close-up" : "Close-up of what is selected",
          command: "close-up",
          icon: Maximize2,
          on: close,
          press: closeUp,
        },
      ],
    ],
    [
      "Find",
      [
        { name: "Commands", label: "Find a command", command: "palette", icon: Command, press: () => setView({ panel: "palette" }) },
        { name: "Keys", label: "Keys: see and change them", command: "keys", icon: Keyboard, press: () => setView({ panel: "keys" }) },
        { name: "List", label: "Tracks, clips and seams as a list", command: "list", icon: List, press: () => setView({ panel: "list" }) },
      ],
    ],
  ];
}

/** The pointer and the single-purpose tools; a tool is borrowed for as long as its key is held. Where there is room they say their names. */
export function Tools() {
  const groups = useGroups();
  const named = useSettings((s) => s.toolNames);
  return (
    <Menu items={barItems.tools}>
      <nav
        aria-label="Tools"
        className={clsx(
          "group flex w-11 shrink-0 flex-col gap-1 overflow-y-auto overflow-x-hidden border-line border-r py-2 [scrollbar-width:none] [&>*]:shrink-0",
          named && "named min-[1440px]:w-[136px] min-[1440px]:px-1.5",
        )}
      >
        {groups.map(([name, buttons], i) => (
          <fieldset key={name} aria-label={name} className="flex flex-col gap-1">
            <span className={clsx("mx-auto my-1 h-px w-6 bg-line group-[.named]:min-[1440px]:hidden", i === 0 && "hidden")} aria-hidden />
            <span
              className={clsx("hidden px-2 text-ink-3 text-xs group-[.named]:min-[1440px]:block", i > 0 && "group-[.named]:min-[1440px]:mt-2")}
              aria-hidden
            >
              {name}
            </span>
            {buttons.map(({ name: short, label, command, icon: Icon, on, press }) => (
              <IconButton
                key={command}
                label={label}
                keys={keyOf(command)}
                on={on}
                side="right"
                onClick={press}
                className="mx-auto group-[.named]:min-[1440px]:mx-0 group-[.named]:min-[1440px]:flex group-[.named]:min-[1440px]:w-full group-[.named]:min-[1440px]:items-center group-[.named]:min-[1440px]:gap-2 group-[.named]:min-[1440px]:px-2"
              >
                <Icon size={16} className="shrink-0" />
                <span className="hidden min-w-0 truncate text-left group-[.named]:min-[1440px]:inline">{short}</span>
              </IconButton>
            ))}
          </fieldset>
        ))}
      </nav>
    </Menu>
  );
}
