import type { Edit } from "@wet-thread/core/edit/registry";
import { at, METER, RATE, SECTIONS, TEMPO } from "./score";
import { HUM_LEAD } from "./sound";

export const PROJECT = { name: "Night shift at Harrow Mill", sampleRate: RATE, version: "Gallery cut" };

const ms = (n: number): number => Math.round((n * RATE) / 1000);
const fade = (n: number, shape: "power" | "s" | "straight" = "power") => ({ length: ms(n), shape, bend: 0 });
const LEAD = ms(250);

export interface Step {
  readonly name: string;
  readonly edits: Edit[];
}

const TRACKS = [
  ["shuttle", "Shuttle", "indigo", 104],
  ["treadle", "Treadle", "walnut", 84],
  ["guide", "Guide voice", "madder", 96],
  ["bells", "Hand bells", "fern", 84],
  ["hum-low", "Hum, low", "cochineal", 76],
  ["hum-middle", "Hum, middle", "cochineal", 76],
  ["hum-high", "Hum, high", "cochineal", 76],
  ["rain", "Rain on skylight", "woad", 72],
  ["clock", "Yard clock", "lichen", 64],
] as const;

/**
 * The demo's version as a person would make it, step by step: `sources` gives the id of a recording by its name, `lengths` its length at
 * the project's rate.
 */
export function demoSteps(sources: Pick<ReadonlyMap<string, string>, "get">, lengths: Pick<ReadonlyMap<string, number>, "get">): Step[] {
  const id = (name: string): string => {
    const found = sources.get(name);
    if (!found) throw new Error(`The demo has no recording "${name}".`);
    return found;
  };
  let count = 0;
  const clip = (trackId: string, source: string, start: number, more: Record<string, unknown> = {}): Edit => ({
    type: "add-clip",
    id: `clip-${++count}`,
    trackId,
    sourceId: id(source),
    start,
    ...more,
  });
  const hum = (bar: number): Edit[] =>
    (["low", "middle", "high"] as const).map((voice) =>
      clip(`hum-${voice}`, `Hum, ${voice} voice`, at(bar) - HUM_LEAD, {
        name: `Hum, ${voice} voice`,
        fadeIn: fade(380, "s"),
        fadeOut: fade(700, "s"),
        length: (lengths.get(`Hum, ${voice} voice`) as number) - ms(20),
      }),
    );
  const bars = (n: number): number => at(5 + n) - at(5);
  return [
    { name: "Set tempo and meter", edits: [{ type: "set-time", tempo: TEMPO, meter: METER, frameRate: "25" }] },
    {
      name: "Add tracks",
      edits: TRACKS.map(([trackId, name, color, height]) => ({
        type: "add-track",
        id: trackId,
        name,
        color,
        height,
        link: trackId.startsWith("hum-") ? "hum choir" : null,
      })),
    },
    {
      name: "Name the sections",
      edits: SECTIONS.map((s, i) => ({
        type: "add-section",
        id: `section-${i + 1}`,
        name: s.name,
        start: at(s.from),
        end: at(s.to),
        color: s.color,
      })),
    },
    {
      name: "Set markers",
      edits: [
        { type: "add-marker", id: "marker-1", position: at(17), name: "Shift starts", color: "woad" },
        { type: "add-marker", id: "marker-2", position: at(25), name: "Bell", color: "fern" },
      ],
    },
    {
      name: "Lay the looms",
      edits: [
        clip("shuttle", "Shuttle", at(5) - LEAD, { offset: 0, fadeIn: fade(20), fadeOut: fade(20) }),
        clip("treadle", "Treadle bed", at(5), { offset: LEAD, length: bars(8), fadeIn: fade(4) }),
      ],
    },
    {
      name: "Shuttle, first shift",
      // Cut early, just before each downbeat, as a hand would.
      edits: [5, 6, 7, 8].map((n, k) =>
        clip("shuttle", "Shuttle", at(17 + k) - ms(6), {
          name: `Shuttle ${n}`,
          offset: LEAD + bars(n - 1) - ms(6),
          length: bars(1) - (k === 2 ? ms(140) : 0),
          fadeIn: fade(4),
          fadeOut: fade(k === 2 ? 6 : 4),
        }),
      ),
    },
    {
      name: "Treadle, first shift",
      edits: [
        clip("treadle", "Treadle bed", at(13), { offset: LEAD, length: bars(4) }),
        clip("treadle", "Treadle bed", at(17), { offset: LEAD, length: bars(4), fadeOut: fade(40) }),
      ],
    },
    {
      name: "Lay the guide",
      edits: [
        clip("guide", "Guide, take 1", at(2), { fadeIn: fade(30, "s"), fadeOut: fade(60, "s") }),
        clip("guide", "Guide, take 2", at(11), { name: "Guide, take 2", fadeIn: fade(30, "s"), fadeOut: fade(120, "s") }),
        clip("guide", "Guide, take 3", at(19), { name: "Guide, take 3: the looms never sleep", fadeIn: fade(40, "s"), fadeOut: fade(200, "s") }),
      ],
    },
    {
      name: "Lay the bells",
      edits: [
        clip("bells", "Bells, low", at(15) + ms(30), { offset: ms(232), length: bars(2) - ms(90), fadeOut: fade(900, "s") }),
        clip("bells", "Bells, low", at(19) - ms(200), { offset: 0, fadeIn: fade(150, "s"), fadeOut: fade(1200) }),
        clip("bells", "Bells, high", at(25) - ms(200), { length: at(27) - at(25), fadeIn: fade(10), fadeOut: fade(400) }),
        clip("bells", "Bells, low", at(27) - ms(200), { fadeIn: fade(10), fadeOut: fade(1500), gain: -3 }),
      ],
    },
    { name: "Lay the hum choir", edits: [...hum(17), ...hum(31)] },
    {
      name: "Second shift",
      edits: [
        clip("shuttle", "Shuttle", at(29), { name: "Shuttle, second shift", offset: LEAD, length: bars(10), fadeIn: fade(4) }),
        clip("treadle", "Treadle bed", at(29), { offset: LEAD, length: bars(8), fadeIn: fade(4) }),
      ],
    },
    {
      name: "Lay rain and clock",
      edits: [
        clip("rain", "Rain bed", at(13), { length: at(33) - at(13), fadeIn: fade(2000, "s"), fadeOut: fade(2500, "s"), gain: -4 }),
        clip("rain", "Rain bed", at(35), { offset: ms(4000), length: at(44) - at(35), fadeIn: fade(900, "s") }),
        clip("clock", "Mill-yard clock", 0, { fadeIn: fade(4), fadeOut: fade(4) }),
        clip("clock", "Mill-yard clock", at(36), { fadeIn: fade(4), fadeOut: fade(4) }),
      ],
    },
    {
      name: "Goodnight",
      edits: [clip("guide", "Guide, take 3", at(36), { name: "Guide: lights out", offset: ms(8500), fadeIn: fade(30, "s"), fadeOut: fade(90, "s") })],
    },
    {
      name: "Blend the treadle",
      edits: [{ type: "set-blend", clipId: "clip-7", length: ms(24), place: "centred", law: "auto", shape: "power", bend: 0.15 }],
    },
    {
      name: "Balance",
      edits: [
        { type: "set-track", trackIds: ["rain"], mute: true },
        { type: "set-track", trackIds: ["treadle"], gain: -2 },
        { type: "set-track", trackIds: ["guide"], gain: 1 },
      ],
    },
  ];
}
