"use client";
import { timebaseOf } from "@wet-thread/core/model/document";
import { formatPosition } from "@wet-thread/core/time/format";
import { useEffect, useState } from "react";
import { carryOut, type Foretold, foretellSettling, settlingWords, useSettling } from "@/commands/edit/settle";
import { useSettings } from "@/state/kept/settings";
import { useSession } from "@/state/sync/session";
import { setView } from "@/state/view/view";
import { Button } from "@/ui/controls";
import { Panel } from "../frame/Panel";

/** Rows of the table; of more, these are enough to see what it would do. */
const ROWS = 200;
const close = (): void => setView({ panel: null });

/** What settling many seams would do, each with its figures before and after; done as one step once it is confirmed. */
export function SettlePanel() {
  const seams = useSettling((s) => s.seams);
  const how = useSettings((s) => s.settle);
  const doc = useSession((s) => s.doc);
  const [foretold, setForetold] = useState<Foretold | null>(null);
  const [done, setDone] = useState(0);
  // biome-ignore lint/correctness/useExhaustiveDependencies: what was foretold is of one state of the piece, and one way
  useEffect(() => {
    const off = new AbortController();
    setForetold(null);
    setDone(0);
    void foretellSettling(seams, setDone, off.signal).then((f) => !off.signal.aborted && setForetold(f));
    return () => off.abort();
  }, [seams, how, doc]);
  const base = timebaseOf(doc);
  const unit = useSettings((s) => s.readOuts[0]);
  const settled = foretold?.seams.filter((s) => !("why" in s.settling)) ?? [];
  const left = (foretold?.seams.length ?? 0) - settled.length;
  const confirm = (): void => {
    if (foretold && carryOut(foretold)) close();
  };
  return (
    <Panel title="Settle" onClose={close} onConfirm={confirm}>
      <p className="text-ink-2 text-sm">
        Each splice goes to the place within {how.reachMs} ms where both sides are most alike; what would be worse stays.
      </p>
      {foretold ? (
        <div className="mt-2 max-h-[300px] overflow-auto">
          <table className="num w-full text-sm">
            <thead>
              <tr className="text-left text-ink-3">
                <th className="font-normal">Seam</th>
                <th className="font-normal">Alike</th>
                <th className="font-normal">Click, dB</th>
                <th className="font-normal">Level, dB</th>
              </tr>
            </thead>
            <tbody>
              {foretold.seams.slice(0, ROWS).map(({ seam, settling }) => {
                const words = "why" in settling ? null : settlingWords(settling, "");
                return (
                  <tr key={seam.id} className="border-line border-t align-top">
                    <td className="py-0.5 pr-2">
                      <span className="block max-w-[90px] truncate text-ink-2">{doc.tracks.get(seam.trackId)?.name}</span>
                      {formatPosition(seam.position, unit, base)}
                    </td>
                    {words ? (
                      <>
                        <td className="whitespace-nowrap py-0.5 pr-2">{words.alike}</td>
                        <td className="whitespace-nowrap py-0.5 pr-2">{words.click}</td>
                        <td className="whitespace-nowrap py-0.5">{words.level}</td>
                      </>
                    ) : (
                      <td className="py-0.5 text-ink-3" colSpan={3}>
                        stays: {"why" in settling && settling.why}
                      </td>
                    )}
                  </tr>
                );
              })}
            </tbody>
          </table>
          {foretold.seams.length > ROWS && <p className="text-ink-3 text-sm">and {foretold.seams.length - ROWS} more</p>}
        </div>
      ) : (
        <div
          className="mt-3 h-1.5 rounded-full bg-weft"
          role="progressbar"
          aria-label="Seams looked at"
          aria-valuenow={done}
          aria-valuemax={seams.length}
        >
          <div className="h-full rounded-full bg-indigo" style={{ width: `${(100 * done) / Math.max(1, seams.length)}%` }} />
        </div>
      )}
      <div className="mt-2.5 flex items-center justify-between gap-2">
        <span className="num text-ink-2 text-sm" role="status" data-testid="settle-count">
          {foretold ? `${settled.length} would settle, ${left} stay` : `${done} of ${seams.length} looked at`}
        </span>
        <Button look="main" type="submit" disabled={settled.length === 0}>
          Settle {settled.length || ""}
        </Button>
      </div>
    </Panel>
  );
}
