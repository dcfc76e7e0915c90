"use client";
import type { Processor } from "@wet-thread/core/model/recipe/treatment";
import { X } from "lucide-react";
import { useState } from "react";
import { useKept } from "@/state/kept/use-kept";
import { Button, Popover } from "@/ui/controls";

interface Preset {
  readonly id: string;
  readonly name: string;
  readonly chain: readonly Processor[];
}

/** Chains that are kept under a name, in every project: laid by a click, and the one that is there kept. */
export function Presets({ chain, onLay }: { chain: readonly Processor[]; onLay: (chain: readonly Processor[]) => void }) {
  const [name, setName] = useState("");
  const { kept: presets, keep, remove } = useKept<Preset>("presets");
  return (
    <Popover width={264} align="end" trigger={<Button>Presets …</Button>}>
      {presets === null && <p className="mb-2 text-ink-2">The server has not told yet which ones are kept.</p>}
      {presets?.length === 0 && <p className="mb-2 text-ink-2">Treatments that you keep under a name are here, in every project.</p>}
      <ul className="mb-2 max-h-64 space-y-0.5 overflow-y-auto">
        {presets?.map((p) => (
          <li key={p.id} className="flex items-center gap-1">
            <button type="button" className="min-w-0 flex-1 truncate rounded-sm px-2 py-1 text-left hover:bg-weft" onClick={() => onLay(p.chain)}>
              {p.name}
            </button>
            <button type="button" aria-label={`Forget ${p.name}`} className="p-1 text-ink-2" onClick={() => void remove(p)}>
              <X size={14} />
            </button>
          </li>
        ))}
      </ul>
      <form
        className="flex gap-1.5"
        onSubmit={(e) => {
          e.preventDefault();
          if (name.trim() && chain.length > 0) void keep({ name: name.trim(), chain }).then((well) => well && setName(""));
        }}
      >
        <input
          aria-label="Name of the preset"
          placeholder="Keep this one as …"
          className="h-8 min-w-0 flex-1 rounded-md border border-line bg-raised px-2 outline-none focus:border-ink-2"
          value={name}
          onChange={(e) => setName(e.target.value)}
        />
        <Button type="submit" disabled={!name.trim() || chain.length === 0}>
          Keep
        </Button>
      </form>
    </Popover>
  );
}
