import { FIRST_KEY, type Slice } from "../model/slices";

/** What an SFZ file says of a slice: its settings, and the file that holds its sound. */
export interface SfzRegion extends Pick<Slice, "gain" | "cents"> {
  readonly file: string;
}

/**
 * The text of an SFZ instrument (an open format: sfzformat.com) in which each sample lies on a key of its own, from 36 up, and plays to its end at its
 * own pitch. What was turned round is so in its file; gain and pitch stand here, and can be changed.
 */
export function sfzOf(name: string, regions: readonly SfzRegion[]): string {
  const lines = [`// ${name}`, "<group>", "loop_mode=one_shot", "ampeg_release=0.005", ""];
  for (const [i, { file, gain, cents }] of regions.entries()) {
    const key = FIRST_KEY + i;
    const [transpose, tune] = [Math.trunc(cents / 100), cents % 100];
    lines.push(
      "<region>",
      `sample=${file}`,
      `lokey=${key}`,
      `hikey=${key}`,
      `pitch_keycenter=${key}`,
      ...(gain === 0 ? [] : [`volume=${gain}`]),
      ...(transpose === 0 ? [] : [`transpose=${transpose}`]),
      ...(tune === 0 ? [] : [`tune=${tune}`]),
      "",
    );
  }
  return lines.join("\n");
}
