import { playedSource } from "../../model/recipe/played-recording";
import type { Clip } from "../../model/schema";
import { EditError } from "../errors";
import type { Transaction } from "../transaction";

/** A clip that plays its own window backwards, or forwards again; start, length and fades stay, the sync point with the sample it marks. */
export function turnedRound(tx: Transaction, clip: Clip): Clip {
  const source = playedSource(tx.before.sources, clip);
  if (!source) throw new EditError(`The recording of ${clip.name || "the clip"} is not there.`, "clipIds");
  const { recipe, ...rest } = clip;
  // What is treated is turned round after its treatment, so that it is the same sound backwards.
  const flag = recipe?.treat ? "turned" : "reverse";
  const { [flag]: was, ...others } = recipe ?? {};
  const next = was ? (Object.keys(others).length > 0 ? others : null) : { ...others, [flag]: true as const };
  return {
    ...rest,
    offset: source.length - clip.offset - clip.length,
    sync: clip.sync === null ? null : clip.length - 1 - clip.sync,
    ...(next && { recipe: next }),
  };
}
