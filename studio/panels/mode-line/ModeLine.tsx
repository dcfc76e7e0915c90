"use client";
import { describeStep } from "@wet-thread/core/time/grid-step";
import clsx from "clsx";
import { ChevronDown } from "lucide-react";
import { type ReactNode, useRef } from "react";
import { TAP_MS } from "@/commands/commands";
import { keyOf } from "@/commands/keys";
import { barItems } from "@/commands/menus/menus";
import { type Settings, setSettings, type Target, useSettings } from "@/state/kept/settings";
import { useSession } from "@/state/sync/session";
import { setView, useView } from "@/state/view/view";
import { gridName } from "@/timeline/model/describe";
import { viewGrid } from "@/timeline/model/grid-columns";
import { Popover } from "@/ui/controls";
import { Menu } from "@/ui/menu";
import { EdgeMenu } from "./EdgeMenu";
import { GridMenu } from "./GridMenu";
import { NudgeMenu } from "./NudgeMenu";
import { NEIGHBOUR_WORDS, NeighbourMenu, OVERLAP_WORDS, OverlapMenu, REACH_WORDS } from "./rule-menus";
import { SnapMenu } from "./SnapMenu";

const TARGETS: readonly (readonly [Target, string])[] = [
  ["grid", "Grid"],
  ["edge", "Clip edges"],
  ["playhead", "Playhead"],
  ["marker", "Markers"],
  ["range", "Range edges"],
  ["transient", "Hits"],
  ["zero", "Zero crossings"],
];

/** The targets in words; more than two are counted, so that the sentence stays one line. */
function targetWords(targets: readonly Target[]): string {
  const names = TARGETS.filter(([t]) => targets.includes(t)).map(([, n]) => n.toLowerCase());
  return names.length === 0 ? "nothing" : names.length <= 2 ? names.join(", ") : `${names[0]} and ${names.length - 1} more`;
}

/** One sentence that says what the next drag will do; its underlined words are the settings. */
export function ModeLine() {
  const set = useSettings();
  const held = useView((v) => v.gridHeld);
  const lent = useView((v) => v.lent);
  const neighbours = lent.neighbours ?? set.neighbours;
  const pressedAt = useRef(0);
  const inForce = set.snapOn !== held;
  return (
    <Menu items={barItems.modes}>
      <section
        aria-label="Mode line"
        className="flex min-h-[38px] flex-wrap items-center gap-x-2 gap-y-0.5 whitespace-nowrap border-line border-t bg-ground px-3.5 py-1 text-[13.5px] text-ink-2 max-[1400px]:gap-x-1.5 max-[1400px]:px-2.5 max-[1400px]:text-[12.5px]"
        data-testid="mode-line"
      >
        <Chunk>
          <span>Neighbours</span>
          <Popover width={430} trigger={<Word dye="indigo" lit={lent.neighbours !== undefined} text={NEIGHBOUR_WORDS[neighbours]} />}>
            <NeighbourMenu set={set} />
          </Popover>
          {neighbours === "ripple" && (
            <>
              <span className="max-[1500px]:hidden">on</span>
              <Popover width={430} trigger={<Word dye="indigo" text={REACH_WORDS[set.reach]} />}>
                <NeighbourMenu set={set} />
              </Popover>
            </>
          )}
        </Chunk>
        <Chunk>
          <span className="max-[1500px]:hidden">and</span>
          <span>overlaps</span>
          <Popover trigger={<Word dye="cochineal" lit={lent.overlaps !== undefined} text={OVERLAP_WORDS[lent.overlaps ?? set.overlaps]} />}>
            <OverlapMenu set={set} />
          </Popover>
          {!set.linksOn && (
            <button
              type="button"
              title="Links between tracks are suspended: edits are made on one track only. Click to resume; nothing moves."
              onClick={() => setSettings({ linksOn: true })}
              className="rounded-sm bg-weld/25 px-1.5 font-semibold text-ink"
            >
              links suspended
            </button>
          )}
        </Chunk>
        <Bar />
        <Chunk>
          <button
            type="button"
            role="switch"
            aria-checked={set.snapOn}
            aria-label="Snap"
            title="Tap to turn snapping on or off; hold it, with another finger on the timeline, to leave the grid for one move"
            onPointerDown={(e) => {
              e.currentTarget.setPointerCapture(e.pointerId);
              pressedAt.current = performance.now();
              setView({ gridHeld: true });
            }}
            onPointerUp={() => setView({ gridHeld: false })}
            onPointerCancel={() => setView({ gridHeld: false })}
            onClick={(e) => {
              // A long hold only lent; the keyboard clicks without a press.
              if (e.detail === 0 || performance.now() - pressedAt.current < TAP_MS) setSettings({ snapOn: !set.snapOn });
            }}
            className={clsx(
              "relative h-[17px] w-[30px] shrink-0 rounded-full transition-colors",
              inForce ? "bg-indigo" : "bg-ink-3/50",
              held && "ring-2 ring-weld",
            )}
          >
            <span className={clsx("absolute top-[2.5px] size-3 rounded-full bg-raised transition-all", inForce ? "left-[15.5px]" : "left-[2.5px]")} />
          </button>
          {held ? (
            <span className="rounded-sm bg-weld/25 px-1.5 font-semibold text-ink">
              Snap is {inForce ? "on" : "off"} while you hold {keyOf("snap")}
            </span>
          ) : (
            <span className={inForce ? "" : "text-ink-3"}>{inForce ? "Snap to" : "Snap is off; it would go to"}</span>
          )}
          <Popover trigger={<Word dye="weld" lit={held} text={targetWords(set.targets)} />}>
            <SnapMenu set={set} />
          </Popover>
          <Popover trigger={<Word dye="weld" lit={held} text={set.pull === "always" ? "always" : "when near"} />}>
            <SnapMenu set={set} />
          </Popover>
          <Popover trigger={<Word dye="weld" lit={held} text={set.placing === "line" ? "on the line" : "keeping offset"} />}>
            <SnapMenu set={set} />
          </Popover>
        </Chunk>
        <Chunk>
          <span className="max-[1500px]:hidden">on a</span>
          <Popover width={420} trigger={<GridWord set={set} lit={held} />}>
            <GridMenu set={set} />
          </Popover>
          <span className="max-[1500px]:hidden">that</span>
          <Popover width={420} trigger={<Word dye="fern" text={set.followsZoom ? "follows zoom" : "stays fixed"} />}>
            <GridMenu set={set} />
          </Popover>
        </Chunk>
        <Bar />
        <Chunk>
          <span>Nudge by</span>
          <Popover width={320} trigger={<Word dye="walnut" text={set.nudge.kind === "grid" ? "one grid step" : describeStep(set.nudge.step)} />}>
            <NudgeMenu set={set} />
          </Popover>
        </Chunk>
        <Bar />
        <Chunk>
          <span>New edges</span>
          <Popover
            width={360}
            trigger={<Word dye="madder" text={set.edgeFadeMs > 0 ? `${set.edgeBlends ? "blend" : "fade"} ${set.edgeFadeMs} ms` : "stay bare"} />}
          >
            <EdgeMenu set={set} />
          </Popover>
        </Chunk>
      </section>
    </Menu>
  );
}

/** Words that stay on one line together where the sentence takes two. */
const Chunk = ({ children }: { children: ReactNode }) => <span className="flex items-center gap-x-2 max-[1400px]:gap-x-1.5">{children}</span>;

const Bar = () => <span className="mx-2 h-4 w-px shrink-0 bg-line max-[1400px]:mx-0" />;

function Word({ text, dye, lit, ...rest }: { text: string; dye: string; lit?: boolean }) {
  return (
    <button
      type="button"
      {...rest}
      className={clsx("flex items-center gap-0.5 border-b-2 pb-px font-semibold text-ink hover:bg-weft", lit && "bg-weld/25")}
      style={{ borderColor: `var(--${dye})` }}
    >
      {text}
      <ChevronDown size={12} className="text-ink-3 max-[1400px]:hidden" aria-hidden />
    </button>
  );
}

function GridWord({ set, lit, ...rest }: { set: Settings; lit: boolean }) {
  const doc = useSession((s) => s.doc);
  const spp = useView((v) => v.samplesPerPixel);
  const start = useView((v) => v.start);
  const { step, thinned } = viewGrid(doc, set, start, spp);
  return <Word {...rest} dye="fern" lit={lit} text={`${gridName(step)} grid${thinned && set.showGrid ? ", lines thinned" : ""}`} />;
}
