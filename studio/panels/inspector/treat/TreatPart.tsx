"use client";
import { PROCESSOR_KINDS, type Processor } from "@wet-thread/core/model/recipe/treatment";
import type { Clip } from "@wet-thread/core/model/schema";
import clsx from "clsx";
import { type PointerEvent as ReactPointerEvent, useRef, useState } from "react";
import { addProcessor, bypass, layChain, treatmentOff } from "@/commands/edit/treat";
import { keyOf } from "@/commands/keys";
import { setSettings, useSettings } from "@/state/kept/settings";
import { session } from "@/state/sync/session";
import { Button, Popover } from "@/ui/controls";
import { followPointer } from "@/ui/pointer-drag";
import { Fold } from "../Fold";
import { Curve } from "./curves";
import { NAMES } from "./knobs";
import { Presets } from "./Presets";
import { ProcessorRow } from "./ProcessorRow";
import { useChain } from "./use-chain";

const small = "rounded-sm border border-line bg-raised px-1.5 text-sm hover:border-ink-3 disabled:opacity-45";

/** A chain without what was worked out for one clip. */
const strip = (chain: readonly Processor[] | undefined): unknown => chain?.map((p) => (p.kind === "normalise" ? { ...p, gain: 0 } : p)) ?? null;

/** Drags a row of the chain to another place; a line shows where it will go. The rows stay: one that were moved would lose the pointer. */
function useRowDrag(place: (from: number, to: number) => void) {
  const list = useRef<HTMLOListElement>(null);
  const [drag, setDrag] = useState<{ readonly from: number; readonly to: number } | null>(null);
  const grip = (from: number) => (e: ReactPointerEvent<HTMLElement>) => {
    if (e.button !== 0) return;
    e.preventDefault();
    const rows = [...(list.current?.children ?? [])].map((row) => row.getBoundingClientRect());
    const at = (y: number): number => Math.min(rows.length - 1, rows.filter((r, i) => i !== from && y > r.top + r.height / 2).length);
    followPointer(e.currentTarget, e.pointerId, {
      move: (m) => setDrag({ from, to: at(m.clientY) }),
      drop: (m) => {
        setDrag(null);
        place(from, at(m.clientY));
      },
      cancel: () => setDrag(null),
    });
  };
  return { list, drag, grip };
}

/** The treatment of the selected clips: what the first one has is shown, and what is changed is laid on all of them. */
export function TreatPart({ clips }: { clips: readonly Clip[] }) {
  const [open, setOpen] = useState<number | null>(null);
  const treated = clips.filter((c) => c.recipe?.treat);
  const { chain, lay, change, turn } = useChain(clips, treated[0]?.recipe?.treat?.chain ?? []);
  const mixed = clips.some((c) => JSON.stringify(strip(c.recipe?.treat?.chain)) !== JSON.stringify(strip(clips[0].recipe?.treat?.chain)));
  const bare = chain.length > 0 && !chain.some((p) => p.on);
  const place = (from: number, to: number): void => {
    if (from === to) return;
    const next = [...chain];
    next.splice(to, 0, ...next.splice(from, 1));
    setOpen(null);
    lay(next);
  };
  const { list, drag, grip } = useRowDrag(place);
  const says = chain.length === 0 ? "none" : `${chain.map((p) => NAMES[p.kind].toLowerCase()).join(", ")}${bare ? ", by-passed" : ""}`;
  return (
    <Fold
      name="Treatment"
      says={mixed ? "not the same on all" : says}
      set={chain.length > 0}
      beside={
        <>
          <button
            type="button"
            className={small}
            disabled={chain.length === 0}
            title={`Hears the bare sound, and again the treated one (${keyOf("treat-bypass")})`}
            onClick={bypass}
          >
            {bare ? "Bare" : "By-pass"}
          </button>
          <button type="button" className={small} disabled={treated.length === 0} onClick={treatmentOff}>
            Take off
          </button>
        </>
      }
    >
      {mixed && clips.length > 1 && <p className="mb-1.5 text-ink-2 text-sm">Not the same on all; what is changed is laid on all of them.</p>}
      <ol ref={list} className="mt-1 space-y-1">
        {chain.map((p, i) => (
          <li
            // biome-ignore lint/suspicious/noArrayIndexKey: a chain is its order; the same processor may be in it twice
            key={i}
            className={clsx(
              "rounded-sm border border-line bg-raised",
              drag?.from === i && "opacity-50",
              drag && drag.from !== i && drag.to === i && (drag.to < drag.from ? "shadow-[0_-3px_0_var(--weld)]" : "shadow-[0_3px_0_var(--weld)]"),
            )}
          >
            <ProcessorRow
              p={p}
              at={i}
              count={chain.length}
              clip={clips[0]}
              open={open === i}
              onOpen={() => setOpen(open === i ? null : i)}
              onGrip={grip(i)}
              onPlace={(to) => place(i, to)}
              onRemove={() => {
                setOpen(null);
                lay(chain.filter((_, k) => k !== i));
              }}
              onChange={(to) => change(i, to)}
              onTurn={(key, value) => turn(i, key, value)}
            />
          </li>
        ))}
      </ol>
      {chain.length > 0 && <EqualLoudness />}
      <Curve chain={chain} rate={session().doc.sampleRate} />
      <div className="mt-2 grid grid-cols-2 gap-1.5">
        <AddProcessor onAdd={() => setOpen(chain.length)} />
        <Presets
          chain={chain}
          onLay={(kept) => {
            const at = kept.findIndex((q) => q.kind === "normalise");
            void layChain(clips, kept, at < 0 ? null : at, true);
          }}
        />
      </div>
    </Fold>
  );
}

function EqualLoudness() {
  const equal = useSettings((s) => s.equalLoudness);
  return (
    <label
      className="mt-1.5 flex items-center gap-1.5 text-ink-2 text-sm"
      title="For the ear alone: by-passed, the clip is as loud as it is with its treatment"
    >
      <input type="checkbox" className="accent-ink" checked={equal} onChange={(e) => setSettings({ equalLoudness: e.target.checked })} />
      Compare at equal loudness
    </label>
  );
}

function AddProcessor({ onAdd }: { onAdd: () => void }) {
  const [adding, setAdding] = useState(false);
  return (
    <Popover open={adding} onOpenChange={setAdding} width={220} trigger={<Button>Add …</Button>}>
      <div className="grid grid-cols-2 gap-1">
        {PROCESSOR_KINDS.map((kind) => (
          <button
            key={kind}
            type="button"
            className="rounded-sm px-2 py-1 text-left hover:bg-weft"
            onClick={() => {
              setAdding(false);
              onAdd();
              void addProcessor(kind);
            }}
          >
            {NAMES[kind]}
          </button>
        ))}
      </div>
    </Popover>
  );
}
