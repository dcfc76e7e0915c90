import { useState } from "react";
import { chooseKeep, keepChosen } from "@/commands/edit/tempo-and-meter";
import { Segments } from "@/ui/controls";

/** Whether clips and marks keep their time or their bars when tempo or meter change. */
export function KeepChoice() {
  const [chosen, setChosen] = useState(keepChosen());
  return (
    <div>
      <p className="mb-1 text-ink-2 text-sm">When this changes, clips and marks keep their</p>
      <Segments
        label="Clips keep"
        value={chosen}
        onChange={(v) => {
          chooseKeep(v);
          setChosen(v);
        }}
        options={[
          ["time", "Time"],
          ["bars", "Bars"],
        ]}
      />
    </div>
  );
}
