import type { Dye } from "@wet-thread/core/model/schema";
import type { Theme } from "@/state/kept/settings";

/** The colours of the canvases: the same tokens as the style sheet, in numbers. */
export interface Palette {
  readonly ground: string;
  readonly surface: string;
  readonly raised: string;
  readonly weft: string;
  readonly line: string;
  readonly ink: string;
  readonly ink2: string;
  readonly ink3: string;
  readonly dyes: Readonly<Record<Dye, string>>;
  /** How much of its dye a strip of cloth takes. */
  readonly cloth: number;
}

export const PALETTES: Readonly<Record<Theme, Palette>> = {
  day: {
    ground: "#f3eee4",
    surface: "#fbf8f2",
    raised: "#fffdf8",
    weft: "#e6ddcd",
    line: "#d8cdb9",
    ink: "#1d2433",
    ink2: "#545b6b",
    ink3: "#6f6b62",
    cloth: 0.13,
    dyes: {
      indigo: "#2f4a8c",
      madder: "#bf3f2b",
      weld: "#c4941a",
      woad: "#3f7f9f",
      walnut: "#7b5333",
      lichen: "#6f8240",
      cochineal: "#a23a68",
      saffron: "#d98a2b",
      fern: "#3b7a59",
    },
  },
  vat: {
    ground: "#141a29",
    surface: "#1a2133",
    raised: "#1f283c",
    weft: "#28324a",
    line: "#37425d",
    ink: "#eef0f5",
    ink2: "#b3bbcb",
    ink3: "#8f98ab",
    cloth: 0.26,
    dyes: {
      indigo: "#8ea6ec",
      madder: "#f07f68",
      weld: "#e5bf58",
      woad: "#7fbddb",
      walnut: "#cda17c",
      lichen: "#b3c47a",
      cochineal: "#e487ad",
      saffron: "#f0b060",
      fern: "#80c89f",
    },
  },
};

const rgb = (hex: string): [number, number, number] => [1, 3, 5].map((i) => Number.parseInt(hex.slice(i, i + 2), 16)) as [number, number, number];

/** One colour laid over another, `part` of it. */
export function mix(under: string, over: string, part: number): string {
  const [a, b] = [rgb(under), rgb(over)];
  return `#${a
    .map((v, i) =>
      Math.round(v + (b[i] - v) * part)
        .toString(16)
        .padStart(2, "0"),
    )
    .join("")}`;
}

/** A colour as one 32-bit pixel (little-endian RGBA): signed, since such small whole numbers are the fastest that JavaScript has. */
export function pixel(hex: string): number {
  const [r, g, b] = rgb(hex);
  return (255 << 24) | (b << 16) | (g << 8) | r;
}

/** The colour with an opacity, for canvas styles. */
export const faded = (hex: string, alpha: number): string =>
  `${hex}${Math.round(alpha * 255)
    .toString(16)
    .padStart(2, "0")}`;
