/** Zero crossings of the sinc on each side. */
export const SIDE = 64;
/** Kaiser window parameter: about 145 dB of stop band with 64 crossings a side. */
const BETA = 14.5;
/** The pass band ends at this part of the lower Nyquist frequency. */
export const ROLL_OFF = 0.95;

/** Modified Bessel function of the first kind, order 0, by its power series. */
function bessel0(x: number): number {
  let sum = 1;
  let term = 1;
  for (let k = 1; term > sum * 1e-17; k++) {
    term *= (x / (2 * k)) ** 2;
    sum += term;
  }
  return sum;
}

/** The Kaiser-windowed sinc (Kaiser & Schafer 1980) at `t` samples from its middle; `half` is half the window's width in samples. */
export function windowedSinc(t: number, cutoff: number, half: number, beta = BETA): number {
  const x = Math.PI * cutoff * t;
  const edge = t / half;
  const window = Math.abs(edge) >= 1 ? 0 : bessel0(beta * Math.sqrt(1 - edge * edge)) / bessel0(beta);
  return (x === 0 ? 1 : Math.sin(x) / x) * window;
}
