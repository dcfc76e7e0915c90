"use client";
import { timebaseOf } from "@wet-thread/core/model/document";
import { formatPosition } from "@wet-thread/core/time/format";
import { useEffect, useState } from "react";
import { commandOf, keyOf, pressed } from "@/commands/keys";
import { switchVersion } from "@/commands/view/version-switch";
import { useSettings } from "@/state/kept/settings";
import { ask, ServerError } from "@/state/sync/api";
import { type Compared, type ComparedClip, type Difference, useComparing } from "@/state/sync/comparing";
import { session, useSession } from "@/state/sync/session";
import { selectClips, setView } from "@/state/view/view";
import { toast } from "@/state/words/toast";
import { Button, Key } from "@/ui/controls";
import { Panel } from "../frame/Panel";
import { DIFFERENCE_DYES } from "./CompareMarks";

const WORDS: Readonly<Record<Difference, string>> = {
  "only-a": "only here",
  "only-b": "only there",
  moved: "moved",
  trimmed: "trimmed",
  changed: "changed",
};

function Check({ label, on, set }: { label: string; on: boolean; set: (on: boolean) => void }) {
  return (
    <label className="flex items-center gap-1.5">
      <input type="checkbox" className="accent-ink" checked={on} onChange={(e) => set(e.target.checked)} />
      {label}
    </label>
  );
}

/** What is different in another version of the project, as a list; chosen clips of it are brought over here. */
export function ComparePanel() {
  const versions = useSession((s) => s.project.versions);
  const here = useSession((s) => s.versionId);
  const revision = useSession((s) => s.revision);
  const unit = useSettings((s) => s.readOuts[0]);
  const others = versions.filter((v) => v.id !== here);
  const wanted = useComparing((c) => c.other);
  const rows = useComparing((c) => c.rows);
  const other = (others.find((v) => v.id === wanted) ?? others[0])?.id ?? "";
  const setRows = (next: readonly Compared[] | null): void => useComparing.setState({ rows: next });
  const [chosen, setChosen] = useState<ReadonlySet<string>>(new Set());
  const [wholeTracks, setWholeTracks] = useState(false);
  const [marks, setMarks] = useState(false);
  const [time, setTime] = useState(false);
  /** Why it is not known what is different. */
  const [why, setWhy] = useState<string | null>(null);
  const away = useSession((s) => s.save === "waiting");
  const close = (): void => setView({ panel: null });
  // biome-ignore lint/correctness/useExhaustiveDependencies: an edit here makes other differences, and a server that is back tells them
  useEffect(() => {
    useComparing.setState({ other: other || null, rows: null });
    if (!other) return;
    let gone = false;
    setChosen(new Set());
    setWhy(null);
    session()
      .settled()
      .then(() => ask<{ differences: Compared[] }>(`/api/versions/${here}/compare/${other}`))
      .then(({ differences }) => !gone && setRows(differences))
      .catch((error) => {
        if (!(error instanceof ServerError)) throw error;
        if (!gone) setWhy(error.message);
      });
    return () => {
      gone = true;
    };
  }, [here, other, revision, away]);
  // While a panel is open few keys go through: those that go to and fro between versions do here.
  useEffect(() => {
    const press = (e: KeyboardEvent): void => {
      const command = commandOf(pressed(e));
      if (!command?.id.startsWith("version-next")) return;
      e.preventDefault();
      command.run();
    };
    window.addEventListener("keydown", press);
    return () => window.removeEventListener("keydown", press);
  }, []);
  const base = timebaseOf(session().doc);
  const sides = (rows ?? []).flatMap((r) => (r.b && chosen.has(r.b.id) ? [r.b] : []));
  /** What is brought: the clips that are chosen, or all of the tracks they lie on, which come with their ride. */
  const what = () => (wholeTracks ? { trackIds: [...new Set(sides.map((c) => c.trackId))] } : { clipIds: [...chosen] });
  const bring = async (): Promise<void> => {
    if (chosen.size === 0) return void toast("Choose the clips to bring over: those that are in the other version.", { id: "compare" });
    const own = session();
    try {
      await own.settled();
      const { revision } = own.store.getState();
      await ask(`/api/versions/${here}/bring`, { json: { revision, from: other, ...what(), marks, time } });
      const tracks = new Set(sides.map((c) => c.trackId)).size;
      const count = wholeTracks ? `${tracks} ${tracks === 1 ? "track" : "tracks"}` : `${chosen.size} ${chosen.size === 1 ? "clip" : "clips"}`;
      toast(`Brought over ${[count, marks && "markers and sections", time && "tempo and meter"].filter(Boolean).join(", ")}`, { id: "compare" });
    } catch (error) {
      if (!(error instanceof ServerError)) throw error;
      toast.error(error.message, { id: "compare" });
    }
  };
  if (others.length === 0)
    return (
      <Panel title="Compare versions" onClose={close} onConfirm={close}>
        <p className="text-ink-2">This piece has no other version to compare with. The version menu, beside the piece's name, makes one.</p>
      </Panel>
    );
  return (
    <Panel title="Compare versions" onClose={close} onConfirm={() => void bring()}>
      <label className="flex items-center gap-2">
        <span className="text-ink-2">with</span>
        <select
          aria-label="The other version"
          data-first-field
          value={other}
          onChange={(e) => useComparing.setState({ other: e.target.value })}
          className="h-7 min-w-0 flex-1 rounded-sm border border-line bg-raised px-1"
        >
          {others.map((v) => (
            <option key={v.id} value={v.id}>
              {v.name}
            </option>
          ))}
        </select>
      </label>
      <p className="mt-2 text-ink-2 text-sm" role="status" data-testid="compare-count">
        {rows === null
          ? why === null
            ? "Comparing …"
            : `What is different is not known. ${why}`
          : rows.length === 0
            ? "No clip is different."
            : `${rows.length === 1 ? "1 clip is" : `${rows.length} clips are`} different`}
      </p>
      <ul className="mt-1 max-h-64 space-y-px overflow-y-auto">
        {rows?.slice(0, 500).map((row) => {
          const side = (row.a ?? row.b) as ComparedClip;
          return (
            <li key={`${row.a?.id} ${row.b?.id}`} className="flex items-center gap-1.5 rounded-sm px-1 py-0.5 hover:bg-weft">
              <input
                type="checkbox"
                className="accent-ink disabled:opacity-30"
                aria-label={`Bring ${side.name} over`}
                disabled={!row.b}
                checked={row.b !== null && chosen.has(row.b.id)}
                onChange={(e) => {
                  const next = new Set(chosen);
                  if (e.target.checked) next.add((row.b as ComparedClip).id);
                  else next.delete((row.b as ComparedClip).id);
                  setChosen(next);
                }}
              />
              <button
                type="button"
                className="flex min-w-0 flex-1 items-baseline gap-1.5 text-left"
                title={row.a ? "Selects it here" : "Goes to it in the other version"}
                onClick={() => {
                  if (row.a) {
                    selectClips(session().doc, [row.a.id]);
                    setView({ playhead: row.a.start });
                  } else {
                    setView({ playhead: side.start });
                    void switchVersion(other, true);
                  }
                }}
              >
                <span className="min-w-0 flex-1 truncate">
                  {side.name} <span className="text-ink-2">on {side.track}</span>
                </span>
                <span className="num text-ink-2 text-sm">{formatPosition(side.start, unit, base)}</span>
                <span className="flex w-[104px] shrink-0 items-center justify-end gap-1.5 text-sm">
                  {row.kinds.map((k) => WORDS[k]).join(", ")}
                  <span aria-hidden className="size-2 shrink-0 rounded-[2px]" style={{ background: `var(--${DIFFERENCE_DYES[row.kinds[0]]})` }} />
                </span>
              </button>
            </li>
          );
        })}
        {rows && rows.length > 500 && <li className="text-ink-2 text-sm">and {rows.length - 500} more</li>}
      </ul>
      <fieldset className="mt-2 flex flex-wrap gap-x-4 gap-y-1 text-sm">
        <legend className="mb-1 text-ink-2">What is chosen brings along</legend>
        <Check label="all of their tracks, with the ride" on={wholeTracks} set={setWholeTracks} />
        <Check label="markers and sections" on={marks} set={setMarks} />
        <Check label="tempo and meter" on={time} set={setTime} />
      </fieldset>
      <div className="mt-2 flex items-center justify-between gap-2">
        <Button onClick={() => void switchVersion(other, true)}>
          Hear the other <Key>{keyOf("version-next-here")}</Key>
        </Button>
        <Button look="main" type="submit" disabled={chosen.size === 0}>
          Bring over
        </Button>
      </div>
    </Panel>
  );
}
