// What is true of the demo, worked out from its score alone: `tsx demo/truth.ts` writes it to demo/truth.json.
import fs from "node:fs";
import path from "node:path";
import { at, RATE } from "./score";
import { makeRecordings } from "./sound";

const ms = (n: number): number => Math.round((n * RATE) / 1000);
const LEAD = ms(250);

/** Seams that the demo leaves raw, each with the reason. Positions are samples on the timeline. */
const RAW_SEAMS = [
  { track: "shuttle", position: at(17) - ms(6), why: "Shuttle 5 lies over the end of Shuttle, which is cut off without a fade" },
  { track: "shuttle", position: at(29) + at(15) - at(5), why: "the second shift ends bare, in the loom's own noise" },
  { track: "treadle", position: at(17), why: "two beds meet at a downbeat, bare on both sides" },
  { track: "treadle", position: at(29) + at(13) - at(5), why: "the second bed ends bare" },
  { track: "bells", position: at(15) + ms(30), why: "the bell is cut into while it rings" },
  { track: "rain", position: at(35) + at(44) - at(35), why: "the rain ends bare" },
];

export async function makeTruth() {
  const recordings = await makeRecordings();
  return {
    sampleRate: RATE,
    /** By recording: its rate; `hits` as [sample, samples off its beat]; `pauses` as [start, end). */
    recordings: Object.fromEntries(
      recordings.map((r) => [
        r.name,
        {
          rate: r.rate,
          length: r.channels[0].length,
          ...(r.hits && { hits: r.hits.map((h) => [h.sample, h.offBeat]) }),
          ...(r.pauses && { pauses: r.pauses.map((p) => [p.start, p.end]) }),
        },
      ]),
    ),
    lead: LEAD,
    rawSeams: RAW_SEAMS,
  };
}

export const TRUTH_FILE = path.join(import.meta.dirname, "truth.json");

if (process.argv[1] === import.meta.filename) fs.writeFileSync(TRUTH_FILE, `${JSON.stringify(await makeTruth())}\n`);
