"use client";
import { CircleQuestionMark, Pause, Play, Redo2, Repeat, SkipBack, Undo2 } from "lucide-react";
import Link from "next/link";
import { runCommand } from "@/commands/commands";
import { setLoopFromRange } from "@/commands/edit/actions";
import { keyOf } from "@/commands/keys";
import { barItems } from "@/commands/menus/menus";
import { transport } from "@/engine/transport";
import { session, useSession } from "@/state/sync/session";
import { useView } from "@/state/view/view";
import { IconButton } from "@/ui/controls";
import { Mark } from "@/ui/Mark";
import { Menu } from "@/ui/menu";
import { ThemeButton } from "@/ui/ThemeButton";
import { ExportMenu } from "../export/ExportMenu";
import { RecordButton, RecordMenu } from "../recording/RecordMenu";
import { ListenMenu, MetronomeButton } from "./Listening";
import { ReadOuts } from "./ReadOuts";
import { VersionMenu } from "./VersionMenu";

export function TopBar() {
  return (
    <Menu items={barItems.top}>
      <header className="grid grid-cols-[1fr_auto_1fr] items-center gap-4 px-3">
        <div className="flex min-w-0 items-center gap-2.5">
          <Link href="/" prefetch={false} aria-label="All projects" className="flex items-center gap-2.5">
            <Mark />
            <span className="whitespace-nowrap font-semibold text-[14px] max-[1180px]:hidden">Wet Thread</span>
          </Link>
          <VersionMenu />
        </div>
        <div className="flex items-center gap-2">
          <IconButton label="Playhead to the start" keys={keyOf("to-start")} onClick={() => runCommand("to-start")}>
            <SkipBack size={16} />
          </IconButton>
          <PlayButton />
          <RecordButton />
          <LoopButton />
          <MetronomeButton />
          <ListenMenu />
          <RecordMenu />
          <ReadOuts />
        </div>
        <div className="flex items-center justify-end gap-1.5">
          <SavedState />
          <IconButton label="Undo" keys={keyOf("undo")} onClick={() => runCommand("undo")}>
            <Undo2 size={16} />
          </IconButton>
          <IconButton label="Redo" keys={keyOf("redo")} onClick={() => session().back("redo")}>
            <Redo2 size={16} />
          </IconButton>
          <IconButton label="Help: how something is done" keys={keyOf("help")} onClick={() => runCommand("help")}>
            <CircleQuestionMark size={16} />
          </IconButton>
          <ThemeButton />
          <ExportMenu />
        </div>
      </header>
    </Menu>
  );
}

function PlayButton() {
  const playing = useView((v) => v.playing);
  return (
    <button
      type="button"
      aria-label={playing ? "Stop" : "Play"}
      data-first="play"
      onClick={() => transport().toggle()}
      className="grid size-9 place-items-center rounded-full bg-ink text-raised"
    >
      {playing ? <Pause size={16} fill="currentColor" /> : <Play size={16} fill="currentColor" className="ml-0.5" />}
    </button>
  );
}

function LoopButton() {
  const loop = useSession((s) => s.doc.piece.loop);
  return (
    <IconButton
      label={loop ? "Loop" : "Loop: make a range first"}
      keys={keyOf("loop")}
      aria-pressed={loop?.on ?? false}
      onClick={setLoopFromRange}
      className={loop?.on ? "bg-indigo/15 !text-indigo" : ""}
    >
      <Repeat size={16} />
    </IconButton>
  );
}

function SavedState() {
  const save = useSession((s) => s.save);
  // For whoever drives the page from outside: which version it shows, how far it has followed the server, and whether it is going back or forward.
  const version = useSession((s) => s.versionId);
  const revision = useSession((s) => s.revision);
  const walks = useSession((s) => s.unsent.filter((u) => u.walk).length);
  const trouble = useSession((s) => s.trouble);
  const at = useSession((s) => s.savedAt);
  const unsent = useSession((s) => s.unsent.length);
  const text =
    save === "waiting"
      ? `${trouble ? "Not saved" : "Server away"} · ${unsent} ${unsent === 1 ? "step" : "steps"} kept here`
      : save === "saving"
        ? "Saving …"
        : at
          ? `Saved ${at.toLocaleTimeString("en-GB", { hour: "2-digit", minute: "2-digit" })}`
          : "Saved";
  return (
    <span
      role="status"
      title={trouble ?? undefined}
      className={`mr-1 truncate text-sm ${save === "waiting" ? "font-semibold text-madder" : "text-ink-3"}`}
      data-testid="save-state"
      data-save={save}
      data-version={version}
      data-revision={revision}
      data-walks={walks}
    >
      {text}
    </span>
  );
}
