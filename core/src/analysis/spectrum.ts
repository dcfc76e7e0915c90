import { type Kernels, newKernels } from "../kernels/kernels";

/**
 * Power spectra of frames of real samples, two at a time: one is the real and the other the imaginary part of a complex transform, from which
 * both come apart by symmetry.
 */
export class Spectrum {
  /** The powers of bins 1 … size / 2 of the two frames that were looked at last. */
  readonly first: Float32Array;
  readonly second: Float32Array;
  private readonly window: Float32Array;
  private readonly kernels: Kernels;

  /** @param size samples in a frame, a power of two from 16; a frame is weighted by Hann's window, so that a sine of amplitude 1 has power 1. */
  constructor(readonly size: number) {
    // Two frames, the turns of all stages, room to work in, and the powers.
    this.kernels = newKernels(7 * size);
    const { floats } = this.kernels;
    for (let half = 1; half < size; half *= 2)
      for (let k = 0; k < half; k++) {
        floats[2 * size + half + k] = Math.cos((Math.PI * k) / half);
        floats[3 * size + half + k] = -Math.sin((Math.PI * k) / half);
      }
    this.window = Float32Array.from({ length: size }, (_, i) => ((0.5 - 0.5 * Math.cos((2 * Math.PI * (i + 0.5)) / size)) * 4) / size);
    this.first = floats.subarray(6 * size, 6.5 * size);
    this.second = floats.subarray(6.5 * size, 7 * size);
  }

  /** Looks at the frames that begin at `a` and at `b` of the samples. */
  look(samples: Float32Array, a: number, b: number): void {
    const { size, window, kernels } = this;
    const { floats } = kernels;
    for (let i = 0; i < size; i++) {
      floats[i] = samples[a + i] * window[i];
      floats[size + i] = samples[b + i] * window[i];
    }
    kernels.apart(kernels.fourier(0, size, size, 2 * size, 4 * size), size, 6 * size, 6.5 * size);
  }
}
