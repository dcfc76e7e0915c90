import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { formatOf } from "./formats";
import { decodeFrames } from "./pcm";
import { memorySource } from "./source";

/** Bytes put together by hand, big-endian (AIFF, RIFX) or little-endian (RIFF). */
class Bytes {
  private readonly out: number[] = [];
  constructor(private readonly little = false) {}
  private number(n: number, width: number): this {
    const bytes = Array.from({ length: width }, (_, k) => Math.floor(n / 256 ** k) & 255);
    this.out.push(...(this.little ? bytes : bytes.reverse()));
    return this;
  }
  u8 = (n: number): this => this.number(n, 1);
  u16 = (n: number): this => this.number(n, 2);
  u32 = (n: number): this => this.number(n, 4);
  text(s: string): this {
    this.out.push(...[...s].map((c) => c.charCodeAt(0)));
    return this;
  }
  bytes(b: Iterable<number>): this {
    this.out.push(...b);
    return this;
  }
  chunk(name: string, body: Bytes | Uint8Array): this {
    const b = body instanceof Bytes ? body.done() : body;
    this.text(name).u32(b.length).bytes(b);
    return b.length % 2 ? this.u8(0) : this;
  }
  done = (): Uint8Array => Uint8Array.from(this.out);
}
const big = (): Bytes => new Bytes();
const little = (): Bytes => new Bytes(true);

async function read(bytes: Uint8Array) {
  const source = memorySource(bytes);
  const info = await (await formatOf(source)).open(source);
  const { layout } = info;
  if (!layout) throw new Error("This file is coded.");
  const out = Array.from({ length: layout.channels }, () => new Float32Array(layout.frames));
  decodeFrames(bytes.subarray(layout.dataOffset, layout.dataOffset + layout.frames * layout.frameBytes), layout, out);
  return { info, out };
}

/** 48,000 a second as an 80-bit number: 1.46484375 · 2^15. */
const RATE_48 = [0x40, 0x0e, 0xbb, 0x80, 0, 0, 0, 0, 0, 0];

function aiff(samples: Bytes, { kind, bits = 16, frames, more = big() }: { kind?: string; bits?: number; frames: number; more?: Bytes }): Uint8Array {
  const comm = big().u16(1).u32(frames).u16(bits).bytes(RATE_48);
  if (kind) comm.text(kind).u8(0).u8(0);
  const body = big()
    .text(kind ? "AIFC" : "AIFF")
    .chunk("COMM", comm)
    .bytes(more.done())
    .chunk("SSND", big().u32(0).u32(0).bytes(samples.done()));
  return big().chunk("FORM", body).done();
}

describe("AIFF", () => {
  it.each<[string, string | undefined, number, Bytes, number[]]>([
    ["16 bits", undefined, 16, big().u16(0x8000).u16(0x4000), [-1, 0.5]],
    ["12 bits, which fill two bytes from above", undefined, 12, big().u16(0x8000).u16(0x4000), [-1, 0.5]],
    ["24 bits", undefined, 24, big().bytes([0x80, 0, 0, 0x40, 0, 0]), [-1, 0.5]],
    ["8 bits, which have a sign", undefined, 8, big().bytes([0x80, 0x40]), [-1, 0.5]],
    ["sowt, the other way round", "sowt", 16, little().u16(0x8000).u16(0x4000), [-1, 0.5]],
    ["floats", "fl32", 32, big().u32(0xbf800000).u32(0x3f000000), [-1, 0.5]],
    ["A-law", "alaw", 8, big().bytes([0x2a, 0xaa]), [-32_256 / 32_768, 32_256 / 32_768]],
    ["µ-law", "ulaw", 8, big().bytes([0x00, 0x80]), [-32_124 / 32_768, 32_124 / 32_768]],
  ])("reads %s", async (_, kind, bits, samples, expected) => {
    const { info, out } = await read(aiff(samples, { kind, bits, frames: 2 }));
    expect([info.sampleRate, info.channels, ...out[0]]).toEqual([48_000, 1, ...expected]);
  });
  it("tells markers, the loop between two of them, and its name", async () => {
    const marks = big().u16(2).u16(7).u32(3).u8(4).text("Bell").u8(0).u16(9).u32(9).u8(3).text("End");
    const inst = big().bytes([60, 0, 0, 127, 1, 127]).u16(0).u16(1).u16(7).u16(9).u16(0).u16(0).u16(0);
    const more = big().chunk("MARK", marks).chunk("INST", inst).chunk("NAME", big().text("Harrow"));
    const { info } = await read(aiff(big().bytes(new Uint8Array(20)), { frames: 10, more }));
    expect(info.told).toMatchObject({
      marks: [
        { position: 3, name: "Bell" },
        { position: 9, name: "End" },
      ],
      loops: [{ start: 3, end: 9 }],
      title: "Harrow",
    });
  });
  it("takes what is there of a file that says more", async () => {
    const { info } = await read(aiff(big().bytes(new Uint8Array(20)), { frames: 50 }));
    expect([info.frames, info.said]).toEqual([10, 50]);
  });
});

describe("WAV", () => {
  const fmt = (b: Bytes, kind = 1, bits = 16): Bytes =>
    b
      .u16(kind)
      .u16(1)
      .u32(48_000)
      .u32((48_000 * bits) / 8)
      .u16(bits / 8)
      .u16(bits);
  it("reads RIFX, whose numbers run the other way round", async () => {
    const body = big().text("WAVE").chunk("fmt ", fmt(big())).chunk("data", big().u16(0x8000).u16(0x4000));
    expect((await read(big().chunk("RIFX", body).done())).out[0]).toEqual(Float32Array.of(-1, 0.5));
  });
  it("tells points with their labels, loops, the time, scene and take", async () => {
    const cue = little().u32(2).u32(1).u32(0).text("data").u32(0).u32(0).u32(8).u32(2).u32(0).text("data").u32(0).u32(0).u32(4);
    const labels = little()
      .text("adtl")
      .chunk("labl", little().u32(1).text("Second\0"))
      .chunk("labl", little().u32(2).bytes([0x46, 0xc3, 0xbc, 0]));
    const smpl = little().bytes(new Uint8Array(28)).u32(1).u32(0).u32(0).u32(0).u32(2).u32(6).u32(0).u32(0);
    const bext = little().bytes(new Uint8Array(338)).u32(5).u32(1).bytes(new Uint8Array(256));
    const xml = little().text("<BWFXML><SCENE>12A &amp; B</SCENE><TAKE>3</TAKE></BWFXML>");
    const body = little()
      .text("WAVE")
      .chunk("bext", bext)
      .chunk("fmt ", fmt(little()))
      .chunk("data", new Uint8Array(20))
      .chunk("cue ", cue)
      .chunk("LIST", labels)
      .chunk("smpl", smpl)
      .chunk("iXML", xml);
    const { info } = await read(little().chunk("RIFF", body).done());
    expect(info.told).toEqual({
      marks: [
        { position: 4, name: "Fü" },
        { position: 8, name: "Second" },
      ],
      // The last sample of a loop is played too.
      loops: [{ start: 2, end: 7 }],
      timeReference: 2 ** 32 + 5,
      title: null,
      scene: "12A & B",
      take: "3",
    });
  });
  it("leaves out what lies outside the sound", async () => {
    const cue = little().u32(1).u32(1).u32(0).text("data").u32(0).u32(0).u32(999);
    const body = little().text("WAVE").chunk("fmt ", fmt(little())).chunk("data", new Uint8Array(20)).chunk("cue ", cue);
    expect((await read(little().chunk("RIFF", body).done())).info.told.marks).toEqual([]);
  });
  it("reads every code of both laws as ITU-T G.711 lists them: odd about zero, each step at least as large as the one below", async () => {
    for (const kind of [6, 7]) {
      const codes = Uint8Array.from({ length: 256 }, (_, i) => i);
      const { out } = await read(
        little()
          .chunk(
            "RIFF",
            little()
              .text("WAVE")
              .chunk("fmt ", fmt(little(), kind, 8))
              .chunk("data", codes),
          )
          .done(),
      );
      const levels = [...new Set([...out[0]].map(Math.abs))].sort((a, b) => a - b);
      expect(levels.length).toBe(128);
      expect(out[0].reduce((a, b) => a + b, 0)).toBeCloseTo(0, 6);
      const steps = levels.slice(1).map((v, i) => v - levels[i]);
      expect(steps.every((s, i) => i === 0 || s >= steps[i - 1] - 1e-9)).toBe(true);
    }
  });
});

describe("broken files", () => {
  it("are refused in words, or read as far as they go", async () => {
    const marks = big().u16(1).u16(7).u32(3).u8(4).text("Bell").u8(0);
    const files = [
      aiff(big().bytes(new Uint8Array(40)), { frames: 20, more: big().chunk("MARK", marks) }),
      little()
        .chunk(
          "RIFF",
          little().text("WAVE").chunk("fmt ", little().u16(1).u16(1).u32(48_000).u32(96_000).u16(2).u16(16)).chunk("data", new Uint8Array(20)),
        )
        .done(),
    ];
    await fc.assert(
      fc.asyncProperty(
        fc.constantFrom(...files),
        fc.array(fc.tuple(fc.nat(200), fc.nat(255)), { maxLength: 12 }),
        fc.nat(220),
        async (file, changes, length) => {
          const bytes = file.slice(0, length);
          for (const [at, value] of changes) if (at < bytes.length) bytes[at] = value;
          await read(bytes).catch((error) => expect(`${error.name} ${error.message}`).toMatch(/^MediaError|coded/));
        },
      ),
      { numRuns: 1000 },
    );
  });
});
