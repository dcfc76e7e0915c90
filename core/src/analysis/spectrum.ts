import { type Kernels, newKernels } from "../kernels/kernels";

/**
 * Power spectra of frames of real samples, two at a time: one is the real and the other the imaginary part of a complex transform, from which
 * both come apart by symmetry.
 */
export class Spectrum {
  /** The powers of bins 1 … size / 2 of the two frames that were looked at last. */
  readonly first: Float32Array;
  readonly second: Float32Array;
  private readonly kernels: Kernels;
  /** Where the samples lie that are looked at, and the window's weights. */
  private readonly at: number;
  private readonly weights: number;

  /** @param size samples in a frame, a power of two from 16; a frame is weighted by Hann's window, so that a sine of amplitude 1 has power 1. */
  constructor(readonly size: number) {
    // Two frames, the turns of all stages, room to work in, the powers, the window, and the samples as they come.
    this.kernels = newKernels(10 * size);
    [this.weights, this.at] = [7 * size, 8 * size];
    const { floats } = this.kernels;
    for (let half = 1; half < size; half *= 2)
      for (let k = 0; k < half; k++) {
        floats[2 * size + half + k] = Math.cos((Math.PI * k) / half);
        floats[3 * size + half + k] = -Math.sin((Math.PI * k) / half);
      }
    for (let i = 0; i < size; i++) floats[this.weights + i] = ((0.5 - 0.5 * Math.cos((2 * Math.PI * (i + 0.5)) / size)) * 4) / size;
    this.first = floats.subarray(6 * size, 6.5 * size);
    this.second = floats.subarray(6.5 * size, 7 * size);
  }

  /** Looks at the first `size` samples, and at as many that begin `by` later: at most `size`. */
  look(samples: Float32Array, by: number): void {
    const { size, at, weights, kernels } = this;
    kernels.floats.set(samples.subarray(0, size + by), at);
    kernels.weigh(at, weights, size, 0);
    kernels.weigh(at + by, weights, size, size);
    kernels.apart(kernels.fourier(0, size, size, 2 * size, 4 * size), size, 6 * size, 6.5 * size);
  }
}
