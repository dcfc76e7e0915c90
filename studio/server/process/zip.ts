import { Readable } from "node:stream";
import yazl from "yazl";

/** A file of a zip: what it holds is there, or is made when its turn comes. */
export type ZipEntry = { readonly name: string } & (
  | { readonly content: Uint8Array | string }
  | {
      pieces(): AsyncIterable<Uint8Array | string>;
      /** Words pack; sound does not. */
      readonly packed?: boolean;
      /** It may have more bytes than an old reader counts. */
      readonly large?: boolean;
    }
);

/** Some files as one zip, made as it is read: one after the other, in their order. What goes wrong with one of them breaks the whole. */
export function zipOf(entries: Iterable<ZipEntry>): AsyncIterable<Uint8Array> {
  const zip = new yazl.ZipFile();
  const out = zip.outputStream as unknown as Readable;
  const broken = (error: unknown): void => void out.destroy(error as Error);
  zip.on("error", broken);
  for (const entry of entries)
    if ("content" in entry) zip.addBuffer(Buffer.from(entry.content as Uint8Array), entry.name);
    else
      zip.addReadStreamLazy(entry.name, { compress: entry.packed ?? false, forceZip64Format: entry.large ?? false }, (then) => {
        const stream = Readable.from(entry.pieces(), { objectMode: false });
        stream.on("error", broken);
        then(null, stream);
      });
  zip.end();
  return out;
}
