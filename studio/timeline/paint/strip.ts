/** The pixel colours of one dye. */
export interface Dyed {
  readonly cloth: number;
  readonly clothGrid: number;
  readonly peak: number;
  readonly rms: number;
  readonly warp: number;
  readonly edge: number;
  readonly line: number;
}

/** Where a strip's pixels go: a picture of so many columns, and the rows of it that the strip may fill. */
export interface StripPlace {
  readonly pixels: Uint32Array;
  readonly width: number;
  /** The grid's lines: not 0 where a column has one. */
  readonly gridColumns: Uint8Array;
  /** Rows of the cloth, which may lie outside the picture; bottom is the row after its last one. */
  readonly top: number;
  readonly bottom: number;
  /** The row at which the waveform's room begins. */
  readonly waveTop: number;
  readonly topRow: number;
  readonly endRow: number;
  /** Bare warp threads stand in each column whose number, counted from `warpFrom`, this divides. */
  readonly apart: number;
  readonly warpFrom: number;
}

/** Halves of a strip that can each have a waveform: the first two channels. */
export const WAVES = 2;
const NONE = 0x7fffffff;

/**
 * A strip of cloth as one entry a column, so that thousands of clips, each a few columns wide, cost little more than one: clips write
 * what their columns look like, and all of them become pixels at once. A column is without cloth until something is written to it.
 */
export class Strip {
  /** The row at which the cloth begins. */
  readonly cut: Int32Array;
  readonly colors: Dyed[];
  /** Rows of the waveform, half by half: its peaks from `up` to `down`, its RMS from `loudUp` to `loudDown`, ends included. */
  readonly up: Int32Array;
  readonly down: Int32Array;
  readonly loudUp: Int32Array;
  readonly loudDown: Int32Array;
  /** Rows of the line along the top, the end left out. */
  readonly lineFrom: Int32Array;
  readonly lineTo: Int32Array;
  /** 1 where the clip's side is: a line all the way down. */
  readonly side: Uint8Array;

  constructor(readonly width: number) {
    const rows = (n = width): Int32Array => new Int32Array(n);
    this.cut = rows().fill(NONE);
    this.colors = new Array<Dyed>(width);
    [this.up, this.down, this.loudUp, this.loudDown] = [rows(WAVES * width), rows(WAVES * width), rows(WAVES * width), rows(WAVES * width)];
    [this.lineFrom, this.lineTo] = [rows(), rows()];
    this.side = new Uint8Array(width);
  }

  /** Begins column x: cloth from a row down, with no waveform and no line. */
  lay(x: number, cut: number, colors: Dyed): void {
    this.cut[x] = cut;
    this.colors[x] = colors;
    this.up[x] = this.up[this.width + x] = NONE;
    this.lineFrom[x] = NONE;
    this.side[x] = 0;
  }

  /** Turns columns [from, to) into pixels and forgets them. */
  paint(place: StripPlace, from: number, to: number): void {
    const { pixels, width, gridColumns, bottom, topRow, endRow, apart, warpFrom } = place;
    const { cut, up, lineFrom, lineTo, side } = this;
    const end = endRow * width;
    for (let x = from; x < to; x++) {
      const begin = cut[x];
      if (begin === NONE) continue;
      cut[x] = NONE;
      const colors = this.colors[x];
      if (begin > topRow && (x - warpFrom) % apart === 0)
        for (let at = topRow * width + x, stop = Math.min(begin, endRow) * width; at < stop; at += width) pixels[at] = colors.warp;
      const first = Math.max(topRow, begin) * width + x;
      if (side[x]) {
        for (let at = first; at < end; at += width) pixels[at] = colors.line;
        continue;
      }
      const cloth = gridColumns[x] ? colors.clothGrid : colors.cloth;
      for (let at = first; at < end; at += width) pixels[at] = cloth;
      if (up[x] !== NONE) this.paintWave(place, x, x, colors);
      if (up[this.width + x] !== NONE) this.paintWave(place, this.width + x, x, colors);
      // Selvedge: the woven edge of the strip.
      if (endRow === bottom && begin < endRow) pixels[end - width + x] = colors.edge;
      if (lineFrom[x] !== NONE)
        for (let y = Math.max(topRow, lineFrom[x]), stop = Math.min(endRow, lineTo[x]); y < stop; y++) pixels[y * width + x] = colors.line;
    }
  }

  /** The waveform in a column: the peaks pale, the RMS within them at full strength. */
  private paintWave({ pixels, width, topRow, endRow }: StripPlace, i: number, x: number, { peak, rms }: Dyed): void {
    const last = Math.min(endRow - 1, this.down[i]) * width + x;
    const loud = this.loudUp[i] * width + x;
    const quiet = this.loudDown[i] * width + x;
    let at = Math.max(topRow, this.up[i]) * width + x;
    for (const stop = Math.min(last, loud - width); at <= stop; at += width) pixels[at] = peak;
    for (const stop = Math.min(last, quiet); at <= stop; at += width) pixels[at] = rms;
    for (; at <= last; at += width) pixels[at] = peak;
  }
}
