// The rows that need no server: edits, snapping, seams, levels, mixing, peaks.
import { spawnSync } from "node:child_process";
import fs from "node:fs";
import os from "node:os";
import path from "node:path";
import { CHUNK, chunkPeaks } from "@wet-thread/core/analysis/peaks";
import { applyEdit, type Edit } from "@wet-thread/core/edit/registry";
import { encodeFrames, wavHeader } from "@wet-thread/core/media/wav/writer";
import { applyChanges, type Document, dataOf, documentFrom, invertChanges, NEW_PIECE, timebaseOf } from "@wet-thread/core/model/document";
import { MemoryReader } from "@wet-thread/core/render/reader";
import { Renderer } from "@wet-thread/core/render/renderer";
import { clickLevel } from "@wet-thread/core/seam/measure";
import { allSeams, classify } from "@wet-thread/core/seam/seams";
import { settlePlace } from "@wet-thread/core/seam/settle";
import { edgePoints, sortedPoints } from "@wet-thread/core/snap/points";
import { snap } from "@wet-thread/core/snap/snap";
import { audible, plantedSeams } from "@wet-thread/core/testing/planted-seams";
import { gridLines, stepSamples } from "@wet-thread/core/time/grid";
import { fullPiece, largePiece, onePieceCut, RATE } from "./large";
import { median, p95, type Row, timed } from "./rows";

export function edits(doc: Document): Row[] {
  const apply: number[] = [];
  const undo: number[] = [];
  let current = doc;
  for (let i = 0; i < 900; i++) {
    const id = `c${(i * 7) % 200}-${(i * 13) % 100}`;
    const clip = doc.clips.get(id);
    if (!clip) throw new Error(id);
    const edit: Edit = [
      { type: "move", clipIds: [id], by: 500 },
      { type: "split", clipIds: [id], at: clip.start + 9000 },
      { type: "trim", clipIds: [id], edge: "end", by: -400 },
    ][i % 3] as Edit;
    let outcome = { doc: current, changes: [] as Parameters<typeof applyChanges>[1] };
    apply.push(
      timed(() => {
        outcome = applyEdit(current, { ...edit, edgeFade: { length: 192, shape: "power", bend: 0 } });
      }),
    );
    undo.push(
      timed(() => {
        current = applyChanges(outcome.doc, invertChanges(outcome.changes));
      }),
    );
  }
  return [
    { name: "edit.apply", value: p95(apply.slice(100)), unit: "ms p95", budget: "< 2" },
    { name: "edit.undo", value: p95(undo.slice(100)), unit: "ms p95", budget: "< 2" },
  ];
}

/** Moves, splits and trims in one lane of 20,000 pieces that were cut out of one recording without a reload, each on what the one before left. */
function uneven(): Row {
  let doc = onePieceCut(20_000);
  const ids = [...(doc.lanes.get("t0")?.clips ?? [])].map((c) => c.id);
  const times: number[] = [];
  for (let i = 0; i < 900; i++) {
    const clip = doc.clips.get(ids[(i * 7919) % ids.length]);
    if (!clip || clip.length < 1000) continue;
    const edit = [
      { type: "move", clipIds: [clip.id], by: 40 },
      { type: "split", clipIds: [clip.id], at: clip.start + 1200 },
      { type: "trim", clipIds: [clip.id], edge: "end", by: -50 },
    ][i % 3] as Edit;
    const edgeFade = { length: 192, shape: "power" as const, bend: 0 };
    times.push(timed(() => void (doc = applyEdit(doc, { ...edit, key: `step${i}`, edgeFade }).doc)));
  }
  return { name: "edit.uneven", value: p95(times.slice(100)), unit: "ms p95, one lane of 20,000 pieces", budget: "< 2" };
}

const ALL_TRACKS = Array.from({ length: 200 }, (_, i) => `t${i}`);

/** Every other kind of edit on the same piece. Those that touch all tracks have a budget of one slow frame. */
const KINDS: readonly (readonly [string, string, (i: number, doc: Document) => Edit])[] = [
  ["ripple.trim", "< 8", (i) => ({ type: "trim", clipIds: [`c${i}-40`], edge: "end", by: -400, neighbours: "ripple" })],
  ["ripple.delete", "< 8", (i) => ({ type: "delete", clipIds: [`c${i}-40`], neighbours: "ripple" })],
  ["ripple.move, all tracks", "< 60", (i) => ({ type: "move", clipIds: [`c${i}-40`], by: 480, neighbours: "ripple", reach: "all" })],
  ["reorder", "< 8", (i) => ({ type: "move", clipIds: [`c${i}-40`], by: 0, before: `c${i}-20`, neighbours: "reorder" })],
  ["copy", "< 2", (i) => ({ type: "copy", clipIds: [`c${i}-40`], by: 4_000_000 })],
  ["repeat × 16", "< 8", (i) => ({ type: "repeat", clipIds: [`c${i}-99`], times: 16 })],
  ["split in 16", "< 8", (i) => ({ type: "split", clipIds: [`c${i}-40`], parts: 16 })],
  ["join", "< 8", (i) => ({ type: "join", clipIds: [`c${i}-40`, `c${i}-41`] })],
  ["bundle", "< 8", (i) => ({ type: "bundle", clipIds: [`c${i}-40`, `c${i + 1}-40`] })],
  [
    "delete-range, 8 tracks",
    "< 16",
    (i) => ({ type: "delete-range", start: 700_000, end: 790_000, trackIds: ALL_TRACKS.slice(i % 100, (i % 100) + 8), neighbours: "ripple" }),
  ],
  ["duplicate-track", "< 16", (i) => ({ type: "duplicate-track", trackId: `t${i}` })],
  ["keeping bars, all clips", "< 200", (i) => ({ type: "set-time", tempo: [{ tick: 0, bpm: 90 + i / 7 }], keep: "bars" })],
  [
    "drop of 20 in Blend",
    "< 16",
    (i) => ({ type: "move", clipIds: Array.from({ length: 20 }, (_, k) => `c${i}-${k * 3}`), tracks: 1, by: 7000, overlap: "blend" }),
  ],
  ["split at 10,000 places", "< 200", () => ({ type: "split", trackIds: ["t0"], at: Array.from({ length: 10_000 }, (_, k) => k * 290 + 13) })],
  ["insert-time, all tracks", "< 40", () => ({ type: "insert-time", at: 1_000_000, length: 96_000 })],
  ["insert-section, all tracks", "< 60", () => ({ type: "insert-section", start: 500_000, end: 900_000, at: 1_000_000 })],
];

export function allEdits(doc: Document): Row[] {
  return KINDS.map(([name, budget, make]) => {
    const heavy = /all |10,000/.test(name);
    const times: number[] = [];
    for (let i = 0; i < (heavy ? 24 : 150); i++) {
      const edit = make(i, doc);
      times.push(timed(() => void applyEdit(doc, { ...edit, key: "bench", edgeFade: { length: 192, shape: "power", bend: 0 } })));
    }
    return { name: `edit: ${name}`, value: p95(times.slice(heavy ? 6 : 30)), unit: "ms p95", budget };
  });
}

/** The same edits on the piece in which everything is, each against its plain row. */
export function fullEdits(plain: readonly Row[]): Row[] {
  const full = fullPiece(200, 100);
  return [...edits(full), ...allEdits(full)].map((row) => {
    const reference = plain.find((r) => r.name === row.name)?.value ?? Number.NaN;
    return { ...row, name: `${row.name}, full piece`, budget: "≤ 2 × the plain row", reference, ratio: row.value / reference };
  });
}

/** Where a seam settles, shifts of its audio allowed, both channels of a stereo recording looked at. */
function settling(): Row {
  const length = 10 * RATE;
  const held = new Float32Array(length).map((_, i) => Math.sin(i * 0.031) * 0.4 + Math.sin(i * i * 1e-5) * 0.2);
  const { sources: _, ...data } = largePiece(1, 2);
  const [a, b] = [...data.clips.values()].map((c, i) => ({ ...c, start: i * 90_000, length: 90_000, offset: 60_000 + i * 170_000 }));
  const doc = documentFrom(
    { sampleRate: RATE, piece: data.piece, tracks: [...data.tracks.values()], clips: [a, b], markers: [], sections: [] },
    new Map([["s", { id: "s", name: "s", length, channels: 2, hits: [] }]]),
  );
  const reader = new MemoryReader(new Map([["s", [held, held.map((x) => x * 0.7)]]]));
  const how = { reach: 0.02 * RATE, length: 576, shifts: true };
  const times = Array.from({ length: 8 }, () => timed(() => void settlePlace(doc, { left: a, right: b, splice: 90_000 }, how, reader)));
  return { name: "settle.shifts", value: p95(times), unit: "ms p95 a seam, ± 20 ms, stereo", budget: "< 300" };
}

function snapping(doc: Document): Row {
  const timebase = timebaseOf(doc);
  const grid = gridLines({ kind: "note", division: 16, feel: "straight" }, timebase);
  const points = [edgePoints(doc, doc.piece.trackOrder, new Set([900_000])), sortedPoints("playhead", [123_456])];
  const ask = (wanted: number): unknown => snap({ wanted, origin: 50_000, grid, points, placing: "offset", pull: "near", reach: 1600, timebase });
  ask(0);
  const times = Array.from({ length: 3000 }, (_, i) => timed(() => void ask(i * 997)));
  return { name: "snap.resolve", value: p95(times), unit: "ms p95", budget: "< 0.1" };
}

function gridDrawing(doc: Document): Row {
  const timebase = timebaseOf(doc);
  // Lines 14 px apart over 1,280 px, at a thousand places of a long piece.
  const grid = gridLines({ kind: "note", division: 16, feel: "straight" }, timebase);
  const wide = (stepSamples(grid.step, timebase) / 14) * 1280;
  const times = Array.from({ length: 1000 }, (_, i) =>
    timed(() => {
      const end = i * 100_003 + wide;
      for (let at = i * 100_003; at < end; at = grid.after(at).sample);
    }),
  );
  return { name: "grid.lines", value: p95(times), unit: "ms p95 a screen", budget: "< 1" };
}

function seams(doc: Document): Row {
  const quiet = () => false;
  for (const s of allSeams(doc)) classify(s, RATE, quiet);
  // Fresh documents, so that nothing but the measures is kept.
  const times: number[] = [];
  let count = 0;
  for (let i = 0; i < 7; i++) {
    const fresh = largePiece(200, 100);
    count = 0;
    times.push(
      timed(() => {
        for (const s of allSeams(fresh)) if (classify(s, RATE, quiet) === "raw") count++;
      }),
    );
  }
  const value = times.sort((a, b) => a - b)[3];
  return { name: "seams.classify", value, unit: `ms, median (${allSeams(doc).length} seams, ${count} raw)`, budget: "< 50" };
}

/** All raw seams of a piece without fades, smoothed in one step. */
function smoothing(): Row {
  const base = dataOf(largePiece(200, 100));
  const none = { length: 0, shape: "power" as const, bend: 0 };
  const bare = documentFrom({ ...base, clips: base.clips.map((c) => ({ ...c, fadeIn: none, fadeOut: none })) }, largePiece(1, 1).sources);
  const seams = allSeams(bare)
    .slice(0, 10_000)
    .map((s) => ({ left: s.left?.id ?? null, right: s.right?.id ?? null, position: s.position }));
  const times = Array.from({ length: 4 }, () => timed(() => void applyEdit(bare, { type: "smooth", seams, length: 192, key: "bench" })));
  return { name: "seams.smooth", value: Math.max(...times.slice(1)), unit: `ms for ${seams.length} seams`, budget: "< 1000" };
}

/** The click measure on a thousand seams with known jumps. */
function clicks(): Row[] {
  const list = plantedSeams(1000).map((p) => ({ ...p, found: clickLevel(p.before, p.after) !== null }));
  const planted = list.filter(audible);
  const found = list.filter((p) => p.found && (audible(p) || p.jump === null));
  const right = planted.filter((p) => p.found).length;
  return [
    { name: "clicks.recall", value: right / planted.length, unit: `of ${planted.length} planted`, budget: "1" },
    { name: "clicks.precision", value: right / found.length, unit: `of ${found.length} found`, budget: "≥ 0.99" },
  ];
}

/** How far the level strays through a crossfade of half a minute by law, for noise of a likeness. */
function levels(): Row[] {
  const side = 32 * RATE;
  const random = (seed: number): Float32Array => {
    let s = seed;
    return Float32Array.from({ length: 2 * side }, () => {
      s = (Math.imul(s, 1664525) + 1013904223) >>> 0;
      return (s / 2 ** 31 - 1) * 0.5;
    });
  };
  const [x, y] = [random(31), random(32)];
  const piece = dataOf(largePiece(1, 1));
  return [0, 0.3, 0.7, 1].flatMap((r) => {
    const like = Float32Array.from(y, (v, i) => (i + side < x.length ? r * x[i + side] + Math.sqrt(1 - r * r) * v : v));
    const none = { length: 0, shape: "power" as const, bend: 0 };
    const clip = (id: string, start: number) => ({
      ...piece.clips[0],
      id,
      sourceId: id,
      start,
      length: side,
      offset: side / 2,
      fadeIn: none,
      fadeOut: none,
    });
    const doc = documentFrom(
      { ...piece, clips: [clip("x", 0), clip("y", side)] },
      new Map(["x", "y"].map((id) => [id, { id, name: id, length: 2 * side, channels: 1 }])),
    );
    return (["auto", "gain", "power"] as const).map((law): Row => {
      const shape = law === "gain" ? "straight" : "power";
      const blended = applyEdit(doc, { type: "set-blend", clipId: "y", length: 30 * RATE, law, shape, place: "centred" }).doc;
      const out = new Float32Array(2 * side);
      new Renderer(
        blended,
        new MemoryReader(
          new Map([
            ["x", [x]],
            ["y", [like]],
          ]),
        ),
      ).render(0, 2 * side, out, new Float32Array(2 * side));
      const level = (from: number): number => out.subarray(from, from + RATE).reduce((sum, v) => sum + v * v, 0) / RATE;
      const usual = (level(0) + level(2 * side - RATE)) / 2;
      const stray = Math.max(...Array.from({ length: 30 }, (_, k) => Math.abs(10 * Math.log10(level(side - 15 * RATE + k * RATE) / usual))));
      return { name: `level, ${law}, likeness ${r}`, value: stray, unit: "dB at most", budget: law === "auto" ? "< 0.5" : "–" };
    });
  });
}

function mixing(): Row[] {
  const seconds = 60;
  const tracks = 64;
  const noise = Float32Array.from({ length: seconds * RATE }, (_, i) => Math.sin(i * 0.37) * 0.02);
  const base = largePiece(tracks, 1);
  const doc = documentFrom(
    {
      sampleRate: RATE,
      piece: { ...NEW_PIECE, trackOrder: base.piece.trackOrder },
      tracks: [...base.tracks.values()],
      clips: [...base.clips.values()].map((c) => ({ ...c, start: 0, offset: 0, length: seconds * RATE })),
      markers: [],
      sections: [],
    },
    base.sources,
  );
  const reader = new MemoryReader(new Map([["s", [noise]]]));
  const out = [new Float32Array(65_536), new Float32Array(65_536)];
  const passOf = (piece: Document) => {
    const renderer = new Renderer(piece, reader);
    return (): void => {
      for (let at = 0; at < seconds * RATE; at += 65_536) renderer.render(at, Math.min(65_536, seconds * RATE - at), out[0], out[1]);
    };
  };
  const pass = passOf(doc);
  pass();
  const own = (seconds * 1000) / timed(pass);
  const points = [0, 1, 2, 3].map((k) => ({ at: k * 15 * RATE, value: -3 * k }));
  const drawn = passOf(applyEdit(doc, { type: "set-envelope", clipIds: [...doc.clips.values()].map((c) => c.id), points }).doc);
  drawn();
  // Turn by turn, so that both have the same machine.
  const turns = Array.from({ length: 5 }, () => ({ drawn: timed(drawn), bare: timed(pass) }));
  const longer = 100 * (median(turns.map((t) => t.drawn / t.bare)) - 1);
  let reference: number | undefined;
  if (spawnSync("which", ["sox"]).status === 0) {
    const folder = fs.mkdtempSync(path.join(os.tmpdir(), "wet-thread-bench-"));
    const file = path.join(folder, "a.wav");
    fs.writeFileSync(file, Buffer.concat([wavHeader(1, RATE, "f32", noise.length), encodeFrames([noise], noise.length, "f32", null)]));
    const files = Array.from({ length: tracks }, () => file);
    reference = (seconds * 1000) / timed(() => void spawnSync("sox", ["-m", ...files, path.join(folder, "b.wav")]));
    fs.rmSync(folder, { recursive: true });
  }
  return [
    { name: "render.mix", value: own, unit: "× real time", budget: "≥ 300, and ≥ 10 × sox -m", reference, ratio: reference && own / reference },
    {
      name: "render.mix, envelopes",
      value: (seconds * 1000) / median(turns.map((t) => t.drawn)),
      unit: `× real time, a gain envelope on every clip: ${Math.round(longer)} % longer`,
      budget: "≥ 300, < 15 % longer",
    },
  ];
}

function peaks(): Row {
  const hour = new Float32Array(3600 * RATE).map((_, i) => ((i * 7919) % 1000) / 1000);
  const copy = new Float32Array(hour.length);
  copy.set(hour);
  const reference = timed(() => copy.set(hour));
  const chunks = (): void => {
    for (let at = 0; at < hour.length; at += CHUNK) chunkPeaks(hour.subarray(at, at + CHUNK));
  };
  timed(() => chunkPeaks(hour.subarray(0, CHUNK)));
  const own = timed(chunks);
  const gigabytes = (hour.length * 4) / 1e9;
  return {
    name: "peaks.build",
    value: gigabytes / (own / 1000),
    unit: "GB/s",
    budget: "≥ 0.5 of a copy",
    reference: gigabytes / (reference / 1000),
    ratio: reference / own,
  };
}

export function coreRows(): Row[] {
  const large = largePiece(200, 100);
  const plain = [...edits(large), ...allEdits(large)];
  return [
    ...plain,
    uneven(),
    ...fullEdits(plain),
    settling(),
    snapping(large),
    gridDrawing(large),
    seams(large),
    smoothing(),
    ...clicks(),
    ...levels(),
    ...mixing(),
    peaks(),
  ];
}
