"use client";
import clsx from "clsx";
import { PanelRightClose } from "lucide-react";
import { Tabs } from "radix-ui";
import { runCommand } from "@/commands/commands";
import { keyOf } from "@/commands/keys";
import { barItems } from "@/commands/menus/menus";
import { useSettings } from "@/state/kept/settings";
import { useMedia } from "@/state/media/use-media";
import { useSession } from "@/state/sync/session";
import { type InspectorTab, setView, useView } from "@/state/view/view";
import { countSeams } from "@/timeline/model/seam-classes";
import { Menu } from "@/ui/menu";
import { useWhenIdle } from "@/ui/use-when-idle";
import { ClipTab } from "./ClipTab";
import { HistoryTab } from "./HistoryTab";
import { MarksTab } from "./MarksTab";
import { SeamTab } from "./SeamTab";
import { SourcesTab } from "./SourcesTab";
import { TrackTab } from "./TrackTab";

const TABS: readonly (readonly [InspectorTab, string, () => React.ReactNode])[] = [
  ["clip", "Clip", ClipTab],
  ["seam", "Seam", SeamTab],
  ["track", "Track", TrackTab],
  ["marks", "Marks", MarksTab],
  ["history", "History", HistoryTab],
  ["sources", "Sources", SourcesTab],
];

/** The pages about what is selected; on a narrow screen `over` the lanes. */
export function Inspector({ over }: { over: boolean }) {
  const tab = useView((v) => v.tab);
  return (
    <aside
      aria-label="Inspector"
      className={clsx(
        "flex w-[292px] shrink-0 flex-col border-line border-l",
        over && "absolute inset-y-0 right-0 z-30 max-w-[calc(100%-56px)] bg-surface shadow-float",
      )}
    >
      <Tabs.Root value={tab} onValueChange={(t) => setView({ tab: t as InspectorTab })} className="flex min-h-0 flex-1 flex-col">
        <Menu items={barItems.inspector}>
          {/* From the tabs the next stop of the keyboard is their page, so what hides them stands before them. */}
          <div className="flex shrink-0 flex-row-reverse border-line border-b pr-1 pl-2">
            <button
              type="button"
              aria-label="Hide the inspector"
              title={`Hide the inspector (${keyOf("inspector")})`}
              className="px-1 text-ink-3 hover:text-ink"
              onClick={() => runCommand("inspector")}
            >
              <PanelRightClose size={14} />
            </button>
            <Tabs.List aria-label="Inspector" className="flex min-w-0 flex-1 justify-between">
              {TABS.map(([id, name]) => (
                <Tabs.Trigger
                  key={id}
                  value={id}
                  className="-mb-px border-transparent border-b-2 px-1 py-2.5 font-medium text-[12.5px] text-ink-2 hover:text-ink data-[state=active]:border-indigo data-[state=active]:text-ink"
                >
                  {name}
                </Tabs.Trigger>
              ))}
            </Tabs.List>
          </div>
        </Menu>
        {TABS.map(([id, , Body]) => (
          <Tabs.Content key={id} value={id} className="min-h-0 flex-1 overflow-y-auto p-3.5 outline-none">
            <Body />
          </Tabs.Content>
        ))}
      </Tabs.Root>
      <SeamCheckFoot />
    </aside>
  );
}

const compact = new Intl.NumberFormat("en-GB", { notation: "compact", maximumFractionDigits: 1 });
/** A count that fits its place however large the piece is. */
const short = (n: number): string => (n < 10_000 ? String(n) : compact.format(n));

function SeamCheckFoot() {
  // Counting every seam of a large piece comes after what is worked on.
  const doc = useWhenIdle(useSession((s) => s.doc));
  const open = useSettings((s) => s.seamCheck);
  useMedia();
  const counts = doc && countSeams(doc);
  return (
    <div className="flex h-10 shrink-0 items-center gap-2 whitespace-nowrap border-line border-t px-3.5">
      <span className="min-w-0 truncate text-sm tabular-nums" data-testid="seam-counts">
        {counts && (
          <>
            <span className={counts.raw ? "font-semibold text-madder" : ""}>{short(counts.raw)} raw</span> · {short(counts.smooth)} smooth ·{" "}
            {short(counts.blended)} blended
          </>
        )}
      </span>
      <button
        type="button"
        aria-pressed={open}
        title={`Every seam in a table (${keyOf("seam-check")})`}
        className="ml-auto shrink-0 rounded-sm border border-line bg-raised px-1.5 font-semibold text-sm hover:border-ink-3 aria-pressed:bg-weft"
        onClick={() => runCommand("seam-check")}
      >
        Seam check
      </button>
    </div>
  );
}
