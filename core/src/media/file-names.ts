/** What a file of an export is of. */
export interface NameParts {
  readonly project: string;
  readonly version: string;
  readonly track: string;
  /** Of a section or clip. */
  readonly name: string;
  /** From 1 on, among so many files. */
  readonly n: number;
  readonly count: number;
}

/** What a pattern may hold. */
export const PATTERN_WORDS = ["project", "version", "track", "name", "n"] as const;

/** What no system, or not every one, takes in a file's name. */
const UNSAFE = /[<>:"/\\|?*\p{Cc}\p{Cf}\p{Cs}]/gu;
/** Names that one system keeps for its devices. */
const RESERVED = /^(con|prn|aux|nul|com\d|lpt\d)(\.|$)/i;
/** Bytes that every system takes, with room for an ending. */
const MOST_BYTES = 200;

/** UTF-8 bytes of a text. */
function byteLength(text: string): number {
  let bytes = 0;
  for (const c of text) {
    const code = c.codePointAt(0) as number;
    bytes += code < 0x80 ? 1 : code < 0x800 ? 2 : code < 0x10000 ? 3 : 4;
  }
  return bytes;
}

/** A file's name, without its ending, that every system takes. */
export function safeName(text: string): string {
  let name = text.toWellFormed().normalize("NFC").replace(UNSAFE, "-").replace(/\s+/g, " ").trim();
  while (byteLength(name) > MOST_BYTES) name = [...name].slice(0, -1).join("");
  name = name.replace(/[. ]+$/, "");
  if (name === "" || RESERVED.test(name)) name = `_${name}`;
  return name;
}

/** Names of an export's files by a pattern such as "{n} {track}", each its own, whatever the system thinks of capitals. */
export function fileNames(pattern: string, parts: readonly NameParts[], ending: string): string[] {
  const taken = new Set<string>();
  return parts.map((part) => {
    const digits = String(part.count).length;
    const { count: _, n, ...rest } = part;
    const words: Record<string, string> = { ...rest, n: String(n).padStart(Math.max(2, digits), "0") };
    const wished = safeName(pattern.replace(/\{(\w+)\}/g, (all, word: string) => words[word] ?? all));
    let name = wished;
    for (let again = 2; taken.has(name.toLowerCase()); again++) name = `${wished} ${again}`;
    taken.add(name.toLowerCase());
    return `${name}${ending}`;
  });
}
