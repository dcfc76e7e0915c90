import type { KeptPart } from "../../model/clip/kept-part";
import { keptPart } from "../../model/clip/kept-part";
import { blendAfter, type Document } from "../../model/document";
import { NO_FADE, nameOf } from "../../model/schema";
import { EditError } from "../errors";
import { sliceOf } from "./parts";

/** A part that is to be kept, and the recording that it is of. */
export interface Keeping {
  readonly sourceId: string;
  readonly part: KeptPart;
}

/**
 * What of clips lies in a span, or all of them, as parts to be kept, each by itself: the curves of blends, which two clips share, stay behind. `taken`
 * are the names of each recording's parts already; a part has the clip's name, or that with its number. Throws EditError when a clip is not there.
 */
export function partsToKeep(
  doc: Document,
  clipIds: readonly string[],
  span: { readonly start: number; readonly end: number } | null,
  taken: ReadonlyMap<string, ReadonlySet<string>>,
  newId: () => string,
): Keeping[] {
  const names = new Map([...taken].map(([id, set]) => [id, new Set(set)]));
  return clipIds.flatMap((id): Keeping[] => {
    const whole = doc.clips.get(id);
    if (!whole) throw new EditError(`There is no clip "${id}" here.`, "clipIds");
    const clip = {
      ...whole,
      ...(whole.blend && { fadeIn: NO_FADE, blend: null }),
      ...(blendAfter(doc, whole) && { fadeOut: NO_FADE }),
    };
    const part = span ? sliceOf(clip, span.start, span.end) : clip;
    if (!part) return [];
    const own = names.get(part.sourceId) ?? new Set<string>();
    names.set(part.sourceId, own);
    const plain = part.name || doc.sources.get(part.sourceId)?.name || "Part";
    let name = plain;
    for (let n = 2; own.has(name); n++) name = `${nameOf(plain).slice(0, 185)}, part ${n}`;
    own.add(name);
    return [{ sourceId: part.sourceId, part: keptPart(part, newId(), name) }];
  });
}
