"use client";
import { runsBackwards } from "@wet-thread/core/model/recipe/played-recording";
import type { Clip } from "@wet-thread/core/model/schema";
import { deleteSelected, join, print } from "@/commands/edit/clip-actions";
import { reverse } from "@/commands/listen/sound";
import { session } from "@/state/sync/session";
import { Button, Swatches } from "@/ui/controls";
import { common } from "./common";

/** What is done with the clips as a whole: backwards, colour, mute, delete, join, print. */
export function WholePart({ clips }: { clips: readonly Clip[] }) {
  const clipIds = clips.map((c) => c.id);
  const backwards = clips.every((c) => runsBackwards(c.recipe));
  return (
    <div className="mt-3 border-line border-t pt-3">
      <Button className="mb-3 w-full" aria-pressed={backwards} onClick={reverse}>
        {backwards ? "Play forwards again" : "Reverse"}
      </Button>
      <div className="flex items-center justify-between">
        <Swatches value={common(clips, (c) => c.color)} onChange={(color) => session().edit([{ type: "set-clip", clipIds, color }])} />
        <button
          type="button"
          aria-pressed={clips.every((c) => c.color === null)}
          title="Goes by the colour of its track again"
          className="rounded-sm border border-line bg-raised px-1.5 text-ink-2 text-sm hover:border-ink-3 aria-pressed:font-semibold aria-pressed:text-ink"
          onClick={() => session().edit([{ type: "set-clip", clipIds, color: null }])}
        >
          as track
        </button>
      </div>
      <div className="mt-3 flex gap-2">
        <Button className="flex-1" onClick={() => session().edit([{ type: "mute", clipIds, mute: !clips.every((c) => c.mute) }])}>
          {clips.every((c) => c.mute) ? "Unmute" : "Mute"}
        </Button>
        <Button className="flex-1" onClick={() => deleteSelected()}>
          Delete
        </Button>
      </div>
      <div className="mt-2 flex gap-2">
        {clips.length > 1 && (
          <Button className="flex-1" title="One clip again, or one container; nothing is rendered" onClick={join}>
            Join
          </Button>
        )}
        <Button className="flex-1" title="To a new recording, with fades and gain in it" onClick={() => void print()}>
          Print
        </Button>
      </div>
    </div>
  );
}
