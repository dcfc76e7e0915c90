import { type Kernels, newKernels } from "../kernels/kernels";

/**
 * Power spectra of frames of real samples, two at a time: one is the real and the other the imaginary part of a complex transform, from which
 * both come apart by symmetry.
 */
export class Spectrum {
  readonly kernels: Kernels;
  /** Where in the kernels' memory the powers of bins 1 … size / 2 of the two frames lie that were looked at last, and room for others. */
  readonly places: { readonly first: number; readonly second: number; readonly room: number };
  /** Where the samples lie that are looked at, and the window's weights. */
  private readonly at: number;
  private readonly weights: number;

  /**
   * @param size samples in a frame, a power of two from 16; a frame is weighted by Hann's window, so that a sine of amplitude 1 has power 1
   * @param fold so many samples at most are looked at as one
   * @param room floats for others in the kernels' memory
   */
  constructor(
    readonly size: number,
    fold = 1,
    room = 0,
  ) {
    // Two frames, the turns of all stages, room to work in, the powers, the window, and the samples as they come.
    const all = (8 + 2 * fold) * size;
    this.kernels = newKernels(all + room);
    this.places = { first: 6 * size, second: 6.5 * size, room: all };
    [this.weights, this.at] = [7 * size, 8 * size];
    const { floats } = this.kernels;
    for (let half = 1; half < size; half *= 2)
      for (let k = 0; k < half; k++) {
        floats[2 * size + half + k] = Math.cos((Math.PI * k) / half);
        floats[3 * size + half + k] = -Math.sin((Math.PI * k) / half);
      }
    for (let i = 0; i < size; i++) floats[this.weights + i] = ((0.5 - 0.5 * Math.cos((2 * Math.PI * (i + 0.5)) / size)) * 4) / size;
  }

  /**
   * Looks at the first `size` samples, and at as many that begin `by` later: at most `size`. `fold`: so many samples (a power of two) are looked at
   * as one, their mean; `size` and `by` count those.
   */
  look(samples: Float32Array, by: number, fold = 1): void {
    const { size, at, weights, kernels } = this;
    kernels.floats.set(samples.subarray(0, (size + by) * fold), at);
    for (let f = fold; f > 1; f /= 2) kernels.halve(at, ((size + by) * f) / 2, at);
    kernels.weigh(at, weights, size, 0);
    kernels.weigh(at + by, weights, size, size);
    kernels.apart(kernels.fourier(0, size, size, 2 * size, 4 * size), size, 6 * size, 6.5 * size);
  }
}
