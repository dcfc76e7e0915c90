import type { Processor } from "../../model/treatment";
import { factorOf } from "../maths";
import { biquadOf, filter } from "./biquad";
import { drive } from "./drive";
import { compressor, gate } from "./dynamics";
import { chorus, echo, phaser, room } from "./space";

function scale(channels: readonly Float32Array[], factor: number): void {
  for (const x of channels) for (let i = 0; i < x.length; i++) x[i] *= factor;
}

/**
 * Runs a chain over samples in place, from silence; `start` is the place of the first one, which movements go by. What comes out is right from
 * the chain's run-in on (`runInOf`), and up to a tenth of a second before the end, where look-ahead has nothing more to look at.
 */
export function treat(channels: readonly Float32Array[], chain: readonly Processor[], rate: number, start: number): void {
  for (const p of chain) {
    if (!p.on) continue;
    switch (p.kind) {
      case "gain":
        scale(channels, factorOf(p.db));
        break;
      case "invert":
        scale(channels, -1);
        break;
      case "normalise":
        scale(channels, factorOf(p.gain));
        break;
      case "gate":
        gate(channels, p, rate);
        break;
      case "compressor":
        compressor(channels, p, rate);
        break;
      case "drive":
        for (const x of channels) drive(x, p);
        break;
      case "echo":
        for (const x of channels) echo(x, p, rate);
        break;
      case "room":
        room(channels, p, rate);
        break;
      case "chorus":
        channels.forEach((x, c) => chorus(x, p, rate, start, c));
        break;
      case "phaser":
        channels.forEach((x, c) => phaser(x, p, rate, start, c));
        break;
      default:
        for (const x of channels) filter(x, biquadOf(p, rate));
    }
  }
}
