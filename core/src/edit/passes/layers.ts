import { clipEnd } from "../../model/schema";
import type { Transaction } from "../transaction";

/** After every edit: lifts each touched clip that would share a layer with one it overlaps, so that which is heard never hangs on a tie. */
export function passLayers(tx: Transaction): void {
  const { doc } = tx;
  // Where no clip of a lane lies over another, none can tie.
  const may = new Map([...doc.lanes].filter(([, lane]) => lane.hasOverlaps));
  if (may.size === 0) return;
  for (const { id, after } of tx.clipChanges()) {
    const lane = after && may.get(after.trackId);
    const clip = lane && tx.clipNow(id);
    if (!clip) continue;
    // Layers move nothing: the lane serves as it lay, and only the layers are asked anew.
    const others = lane
      .within(clip.start, clipEnd(clip))
      .filter((c) => c.id !== id && c.blend?.with !== id && clip.blend?.with !== c.id)
      .map((c) => tx.clipNow(c.id)?.layer ?? c.layer);
    if (others.includes(clip.layer)) tx.setClip({ ...clip, layer: Math.max(...others) + 1 });
  }
}
