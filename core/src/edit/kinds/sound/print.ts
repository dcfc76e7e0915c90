import { z } from "zod";
import { type Clip, Id, JUST_LAID, Name, Position } from "../../../model/schema";
import { partFromNeighbours } from "../../cutting/cut";
import { ClipIds, countNames, defineEdit } from "../../definition";
import { EditError } from "../../errors";
import { WINDOW } from "../../law";

export const replaceWithPrint = defineEdit({
  type: "replace-with-print",
  law: { sound: "clips", fields: WINDOW },
  about:
    "Puts a recording that a run of neighbouring clips was printed to in their place, with nothing of what it holds laid on it again; undo brings the clips back. The job of a print does this.",
  params: z.object({ clipIds: ClipIds, sourceId: Id, start: Position, name: Name.optional() }),
  example: { type: "replace-with-print", clipIds: ["clip-1"], sourceId: "source-1", start: 0, name: "Shuttle, printed" },
  apply(tx, { clipIds: ids, sourceId, start, name }) {
    const source = tx.before.sources.get(sourceId);
    if (!source) throw new EditError(`The project has no recording "${sourceId}".`, "sourceId");
    partFromNeighbours(tx, ids);
    const clips = ids.map((id) => tx.clip(id));
    const [{ trackId, bundle, color }] = clips;
    if (clips.some((c) => c.trackId !== trackId)) throw new EditError("A print takes the place of clips of one track.", "clipIds");
    const id = tx.newId();
    // What it was printed with lies in it: the sound runs on into its neighbours as before.
    const keepEdges = (clip: Clip): void => {
      tx.edges.isKept(clip.id, "start");
      tx.edges.isKept(clip.id, "end");
    };
    for (const c of tx.lane(trackId).within(start - 1, start + source.length + 1)) keepEdges(c);
    for (const gone of ids) tx.set("clip", gone, null);
    const printed: Clip = {
      ...JUST_LAID,
      ...{ id, trackId, sourceId, start, bundle, color },
      length: source.length,
      offset: 0,
      name: name ?? source.name,
      gain: 0,
      pan: 0,
      layer: Math.max(...clips.map((c) => c.layer)),
    };
    tx.setClip(printed);
    keepEdges(printed);
    return `Print ${countNames(
      clips.map((c) => c.name),
      "clip",
    )}`;
  },
});
