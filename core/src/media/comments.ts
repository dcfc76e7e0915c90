import type { Told } from "./format";
import { latin } from "./format";
import { fromBytes } from "./text";

/** Hours, minutes, seconds and what follows, as samples. */
function clock(text: string, rate: number): number | null {
  const found = /^(\d+):(\d{1,2}):(\d{1,2}(?:\.\d+)?)$/.exec(text.trim());
  return found ? Math.round((Number(found[1]) * 3600 + Number(found[2]) * 60 + Number(found[3])) * rate) : null;
}

/** What Vorbis comments tell (as in FLAC and Ogg): a title, and chapters as CHAPTER001=00:00:01.000 with CHAPTER001NAME. */
export function readComments(b: Uint8Array, rate: number): Partial<Told> {
  const v = new DataView(b.buffer, b.byteOffset, b.byteLength);
  const values = new Map<string, string>();
  if (b.length < 8) return {};
  let at = 4 + v.getUint32(0, true);
  if (at + 4 > b.length) return {};
  const count = Math.min(10_000, v.getUint32(at, true));
  at += 4;
  for (let i = 0; i < count && at + 4 <= b.length; i++) {
    const size = v.getUint32(at, true);
    const text = fromBytes(latin(b.subarray(at + 4, Math.min(b.length, at + 4 + size))));
    const cut = text.indexOf("=");
    if (cut > 0) values.set(text.slice(0, cut).toUpperCase(), text.slice(cut + 1));
    at += 4 + size;
  }
  const marks = [...values].flatMap(([key, value]) => {
    const position = /^CHAPTER\d+$/.test(key) ? clock(value, rate) : null;
    return position === null ? [] : [{ position, name: values.get(`${key}NAME`) ?? "" }];
  });
  return { marks, title: values.get("TITLE") ?? null, scene: values.get("SCENE") ?? null, take: values.get("TAKE") ?? null };
}
