"use client";
import { FRAME_RATES } from "@wet-thread/core/time/timecode";
import clsx from "clsx";
import { Settings2 } from "lucide-react";
import { toggleRuler } from "@/commands/view/rulers";
import { RULERS, useSettings } from "@/state/kept/settings";
import { session, useSession } from "@/state/sync/session";
import { toast } from "@/state/words/toast";
import { RULER_NAMES, rulerRows, rulersHeight } from "@/timeline/paint/rulers";
import { Field, Popover } from "@/ui/controls";

/** Names of the rulers beside them, and the choice which are shown. */
export function RulerLabels() {
  const rulers = useSettings((s) => s.rulers);
  return (
    <div className="relative shrink-0 border-line border-b text-ink-3 text-xs" style={{ height: rulersHeight(rulers) }}>
      {rulerRows(rulers).map((r) => (
        <span key={r.kind} className="absolute left-3.5 flex items-center" style={{ top: r.top, height: r.height }}>
          {RULER_NAMES[r.kind]}
        </span>
      ))}
      <Popover
        width={284}
        trigger={
          <button type="button" aria-label="Rulers" title="Rulers" className="absolute top-1 right-1.5 rounded-sm p-1 hover:bg-weft">
            <Settings2 size={13} />
          </button>
        }
      >
        <RulerMenu />
      </Popover>
    </div>
  );
}

function RulerMenu() {
  const rulers = useSettings((s) => s.rulers);
  const { frameRate, firstBar } = useSession((s) => s.doc.piece);
  return (
    <div className="space-y-3">
      <div>
        <h3 className="mb-1.5 text-ink-2 text-sm">Rulers shown</h3>
        {RULERS.map((r) => {
          const on = rulers.includes(r);
          return (
            <button
              key={r}
              type="button"
              role="switch"
              aria-checked={on}
              className="flex w-full items-center justify-between rounded-sm px-1.5 py-1 text-left hover:bg-weft"
              onClick={() => toggleRuler(r)}
            >
              {RULER_NAMES[r]}
              <span className={clsx("size-3.5 rounded-sm border", on ? "border-ink bg-ink" : "border-line bg-surface")} />
            </button>
          );
        })}
      </div>
      <label className="block">
        <span className="mb-1 block text-ink-2 text-sm">Frames a second</span>
        <select
          className="num h-8 w-full rounded-md border border-line bg-raised px-2"
          value={frameRate}
          onChange={(e) => session().edit([{ type: "set-time", frameRate: e.target.value }])}
        >
          {FRAME_RATES.map((f) => (
            <option key={f.id} value={f.id}>
              {f.id}
            </option>
          ))}
        </select>
      </label>
      <div>
        <span className="mb-1 block text-ink-2 text-sm">Number of the first bar</span>
        <Field
          label="Number of the first bar"
          value={String(firstBar)}
          onCommit={(t) => {
            const n = Number(t);
            if (Number.isInteger(n) && Math.abs(n) <= 9999) session().edit([{ type: "set-time", firstBar: n }]);
            else toast.error(`“${t}” is no bar number: it is whole and lies between −9999 and 9999.`);
          }}
        />
      </div>
    </div>
  );
}
