import { useState } from "react";
import { Segments } from "@/ui/controls";

/** What a change of the maps leaves in place; chosen once, kept while the page is open. */
let keep: "time" | "bars" = "time";
export const keepChosen = (): "time" | "bars" => keep;

/** Whether clips and marks keep their time or their bars when tempo or meter change. */
export function KeepChoice() {
  const [chosen, setChosen] = useState(keep);
  return (
    <div>
      <p className="mb-1 text-ink-2 text-sm">When this changes, clips and marks keep their</p>
      <Segments
        label="Clips keep"
        value={chosen}
        onChange={(v) => {
          keep = v;
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
