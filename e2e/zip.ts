import yauzl from "yauzl";

/** The entries of a zip, in their order, unpacked. */
export function unzipped(bytes: Uint8Array): Promise<Map<string, Buffer>> {
  return new Promise((resolve, reject) => {
    const out = new Map<string, Buffer>();
    yauzl.fromBuffer(Buffer.from(bytes), { lazyEntries: true }, (error, zip) => {
      if (error) return reject(error);
      zip.on("entry", (entry: yauzl.Entry) =>
        zip.openReadStream(entry, async (wrong, stream) => {
          if (wrong) return reject(wrong);
          const parts: Buffer[] = [];
          for await (const part of stream) parts.push(part as Buffer);
          out.set(entry.fileName, Buffer.concat(parts));
          zip.readEntry();
        }),
      );
      zip.on("end", () => resolve(out));
      zip.readEntry();
    });
  });
}
