import { latin, type Told, tag } from "../format";
import { fromBytes } from "../text";

// What WAV files tell beside their samples: `cue ` and its labels, `smpl`, `bext` (EBU Tech 3285), `iXML`, and the names of a LIST.

/** Most points or loops that are read of one chunk. */
const MOST = 10_000;
const view = (b: Uint8Array): DataView => new DataView(b.buffer, b.byteOffset, b.byteLength);

function points(b: Uint8Array, little: boolean): { id: number; position: number }[] {
  if (b.length < 4) return [];
  const v = view(b);
  const count = Math.min(MOST, v.getUint32(0, little), Math.floor((b.length - 4) / 24));
  return Array.from({ length: count }, (_, i) => ({ id: v.getUint32(4 + 24 * i, little), position: v.getUint32(24 + 24 * i, little) }));
}

/** The chunks inside a LIST, by name. */
function* listed(b: Uint8Array, little: boolean): Generator<[string, Uint8Array]> {
  const v = view(b);
  for (let at = 4; at + 8 <= b.length; ) {
    const size = v.getUint32(at + 4, little);
    yield [tag(b, at), b.subarray(at + 8, Math.min(b.length, at + 8 + size))];
    at += 8 + size + (size & 1);
  }
}

function loops(b: Uint8Array, little: boolean): { start: number; end: number }[] {
  if (b.length < 36) return [];
  const v = view(b);
  const count = Math.min(MOST, v.getUint32(28, little), Math.floor((b.length - 36) / 24));
  // The last sample is played too: half-open, the end is one later.
  return Array.from({ length: count }, (_, i) => ({ start: v.getUint32(44 + 24 * i, little), end: v.getUint32(48 + 24 * i, little) + 1 }));
}

const ENTITIES: Record<string, string> = { amp: "&", lt: "<", gt: ">", quot: '"', apos: "'" };
/** The words of one element. */
function element(xml: string, name: string): string | null {
  const found = new RegExp(`<${name}(?:\\s[^>]*)?>([^<]*)</${name}>`).exec(xml);
  return found ? found[1].replace(/&(amp|lt|gt|quot|apos);/g, (_, e: string) => ENTITIES[e]) : null;
}

/** What the telling chunks of a file say, by their names. */
export function readTold(chunks: ReadonlyMap<string, readonly Uint8Array[]>, little: boolean): Partial<Told> {
  const one = (name: string): Uint8Array | undefined => chunks.get(name)?.[0];
  const [cue, smpl, bext, ixml] = ["cue ", "smpl", "bext", "iXML"].map(one);
  const names = new Map<number, string>();
  let title: string | null = null;
  for (const list of chunks.get("LIST") ?? []) {
    if (list.length < 4) continue;
    const kind = tag(list, 0);
    for (const [name, b] of listed(list, little)) {
      if (kind === "adtl" && name === "labl" && b.length > 4) names.set(view(b).getUint32(0, little), fromBytes(latin(b.subarray(4))));
      if (kind === "INFO" && name === "INAM") title = fromBytes(latin(b));
    }
  }
  const xml = ixml ? fromBytes(latin(ixml)) : "";
  const stamp = ["HI", "LO"].map((part) => element(xml, `TIMESTAMP_SAMPLES_SINCE_MIDNIGHT_${part}`));
  const byXml = stamp.every((s) => s !== null && /^\d+$/.test(s)) ? Number(stamp[0]) * 2 ** 32 + Number(stamp[1]) : null;
  const byBext = bext && bext.length >= 346 ? view(bext).getUint32(342, little) * 2 ** 32 + view(bext).getUint32(338, little) : null;
  const timeReference = byBext ?? byXml;
  return {
    marks: cue ? points(cue, little).map(({ id, position }) => ({ position, name: names.get(id) ?? "" })) : [],
    loops: smpl ? loops(smpl, little) : [],
    timeReference: timeReference !== null && Number.isSafeInteger(timeReference) ? timeReference : null,
    title: title ?? (bext ? fromBytes(latin(bext.subarray(0, 256))) : null),
    scene: element(xml, "SCENE"),
    take: element(xml, "TAKE"),
  };
}
