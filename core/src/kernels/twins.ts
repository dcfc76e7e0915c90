import type { Kernels } from "./loops";

/** What figures miss of a row. */
const ON_ROW = 1e-6;

/** The inner loops in plain TypeScript, for where there is no WebAssembly SIMD: the same bits, slower. Single precision throughout. */
export class Twins implements Kernels {
  readonly floats: Float32Array;
  readonly doubles: Float64Array;
  readonly bytes: Uint8Array;
  private readonly view: DataView;

  constructor(floats: number) {
    this.doubles = new Float64Array(Math.ceil(floats / 2));
    this.floats = new Float32Array(this.doubles.buffer);
    this.bytes = new Uint8Array(this.doubles.buffer);
    this.view = new DataView(this.doubles.buffer);
  }

  mixBoth(x: number, left: number, right: number, n: number, gainLeft: number, gainRight: number): void {
    this.mixOne(x, left, n, gainLeft);
    this.mixOne(x, right, n, gainRight);
  }

  mixFour(x: number, stride: number, left: number, right: number, n: number, gains: number): void {
    for (let k = 0; k < 4; k++) this.mixBoth(x + k * stride, left, right, n, this.floats[gains + 2 * k], this.floats[gains + 2 * k + 1]);
  }

  mixOne(x: number, out: number, n: number, gain: number): void {
    const { floats } = this;
    const g = Math.fround(gain);
    for (let i = 0; i < n; i++) floats[out + i] += Math.fround(floats[x + i] * g);
  }

  loudest(x: number, n: number): number {
    const { floats } = this;
    let most = 0;
    for (let i = x; i < x + n; i++) {
      const v = Math.abs(floats[i]);
      if (v > most) most = v;
    }
    return most;
  }

  peaks64(x: number, blocks: number, out: number): void {
    const { floats } = this;
    const lanes = new Float32Array(8);
    for (let b = 0; b < blocks; b++) {
      let low = Number.POSITIVE_INFINITY;
      let high = Number.NEGATIVE_INFINITY;
      lanes.fill(0);
      for (let i = 0; i < 64; i++) {
        const v = floats[x + 64 * b + i];
        if (v < low) low = v;
        if (v > high) high = v;
        lanes[i & 7] += Math.fround(v * v);
      }
      for (let k = 0; k < 4; k++) lanes[k] += lanes[k + 4];
      const sum = Math.fround(Math.fround(lanes[0] + lanes[1]) + Math.fround(lanes[2] + lanes[3]));
      const e = out + 3 * b;
      floats[e] = low;
      floats[e + 1] = high;
      floats[e + 2] = Math.sqrt(Math.fround(sum / 64));
    }
  }

  coarser(x: number, groups: number, out: number): void {
    const { floats } = this;
    const square = (i: number): number => Math.fround(floats[i] * floats[i]);
    for (let g = 0; g < groups; g++) {
      const [i, o] = [x + 12 * g, out + 3 * g];
      floats[o] = Math.min(floats[i], floats[i + 3], floats[i + 6], floats[i + 9]);
      floats[o + 1] = Math.max(floats[i + 1], floats[i + 4], floats[i + 7], floats[i + 10]);
      const sum = Math.fround(Math.fround(square(i + 2) + square(i + 5)) + Math.fround(square(i + 8) + square(i + 11)));
      floats[o + 2] = Math.sqrt(Math.fround(sum / 4));
    }
  }

  reflect(x: number, y: number, n: number, out: number): void {
    const { floats } = this;
    const [products, squares] = [new Float32Array(4), new Float32Array(4)];
    for (let i = 0; i < n; i++) {
      const [a, b] = [floats[x + i], floats[y + i]];
      products[i & 3] += Math.fround(a * b);
      squares[i & 3] += Math.fround(Math.fround(a * a) + Math.fround(b * b));
    }
    const sum = (s: Float32Array): number => Math.fround(Math.fround(s[0] + s[1]) + Math.fround(s[2] + s[3]));
    floats[out] = sum(products);
    floats[out + 1] = sum(squares);
  }

  lattice(x: number, y: number, n: number, reflection: number): void {
    const { floats } = this;
    const r = Math.fround(reflection);
    for (let i = 0; i < n; i++) {
      const [a, b] = [floats[x + i], floats[y + i]];
      floats[x + i] = a + Math.fround(b * r);
      floats[y + i] = b + Math.fround(a * r);
    }
  }

  weigh(x: number, weights: number, n: number, out: number): void {
    const { floats } = this;
    for (let i = 0; i < n; i++) floats[out + i] = floats[x + i] * floats[weights + i];
  }

  halve(x: number, n: number, out: number): void {
    const { floats } = this;
    for (let i = 0; i < n; i++) floats[out + i] = Math.fround(floats[x + 2 * i] + floats[x + 2 * i + 1]) / 2;
  }

  swell(x: number, n: number, skip: number, factor: number, step: number): void {
    const { floats } = this;
    const within = new Float32Array(16);
    let sixteen = 1;
    for (let j = 0; j < 16; j++) {
      within[j] = sixteen;
      sixteen *= step;
    }
    let wide = sixteen * sixteen;
    for (let j = 0; j < 5; j++) wide *= wide;
    let far = factor;
    for (let q = skip >> 10; q > 0; q--) far *= wide;
    let near = 1;
    let group = (skip >> 4) & 63;
    for (let q = group; q > 0; q--) near *= sixteen;
    for (let i = 0, k = skip & 15; i < n; k = 0) {
      const own = Math.fround(far * near);
      for (; k < 16 && i < n; k++, i++) floats[x + i] *= Math.fround(own * within[k]);
      if (++group === 64) {
        group = 0;
        near = 1;
        far *= wide;
      } else near *= sixteen;
    }
  }

  fourier(re: number, im: number, size: number, turns: number, spare: number): number {
    const { floats } = this;
    const half = size / 2;
    let [xr, xi, yr, yi] = [re, im, spare, spare + size];
    for (let l = half, m = 1; l >= 1; l /= 2, m *= 2) {
      for (let j = 0; j < l; j++) {
        const [c, s] = [floats[turns + l + j], floats[turns + size + l + j]];
        for (let k = 0; k < m; k++) {
          const [from, to] = [k + j * m, k + 2 * j * m];
          const [ar, ai, br, bi] = [floats[xr + from], floats[xi + from], floats[xr + from + half], floats[xi + from + half]];
          const [dr, di] = [Math.fround(ar - br), Math.fround(ai - bi)];
          floats[yr + to] = ar + br;
          floats[yi + to] = ai + bi;
          floats[yr + to + m] = Math.fround(dr * c) - Math.fround(di * s);
          floats[yi + to + m] = Math.fround(dr * s) + Math.fround(di * c);
        }
      }
      [xr, xi, yr, yi] = [yr, yi, xr, xi];
    }
    return xr;
  }

  apart(re: number, size: number, first: number, second: number): void {
    const { floats } = this;
    const square = (v: number): number => Math.fround(Math.fround(v) * Math.fround(v));
    for (let k = 1; k <= size / 2; k++) {
      const [x, y, u, v] = [floats[re + k], floats[re + size + k], floats[re + size - k], floats[re + 2 * size - k]];
      floats[first + k - 1] = Math.fround(square(x + u) + square(y - v)) / 4;
      floats[second + k - 1] = Math.fround(square(y + v) + square(u - x)) / 4;
    }
  }

  risen(powers: number, edges: number, bands: number, state: number, before: number, now: number, up: number, first: number): number {
    const { floats } = this;
    const { fround } = Math;
    const wide = (bands + 3) & ~3;
    const [LEAST, QUIETEST, SMOOTH, by] = [fround(1e-5), fround(1e-6), fround(0.3), fround(up)];
    for (let b = 0, bin = floats[edges]; b < bands; b++) {
      let power = 0;
      for (; bin < floats[edges + b + 1]; bin++) power = fround(power + floats[powers + bin]);
      floats[now + b] = power;
    }
    const [logsBefore, logsNow] = [before + wide + 4, now + wide + 4];
    const [rise, louder] = [new Float32Array(4), new Float32Array(4)];
    for (let b = 0; b < wide; b++) {
      const level = fround(Math.sqrt(fround(floats[now + b] * floats[state + b])));
      const had = floats[state + 2 * wide + b];
      const smooth = fround(had + fround(fround(level - had) * SMOOTH));
      const quiet = first ? Math.max(level, LEAST) : Math.min(fround(floats[state + wide + b] * by), Math.max(smooth, QUIETEST));
      floats[now + b] = level;
      floats[state + wide + b] = quiet;
      floats[state + 2 * wide + b] = smooth;
      const own = this.log(fround(fround(level + fround(quiet + quiet)) + LEAST));
      floats[logsNow + b] = own;
      const above = fround(own - Math.max(floats[logsBefore + b - 1], floats[logsBefore + b], floats[logsBefore + b + 1]));
      if (above > 0) {
        rise[b & 3] += above;
        louder[b & 3] += Math.max(0, fround(level - floats[before + b]));
      }
    }
    floats[logsNow - 1] = floats[logsNow];
    floats[logsNow + bands] = floats[logsNow + bands - 1];
    floats[state + 3 * wide] = fround(louder[0] + louder[1]) + fround(louder[2] + louder[3]);
    return fround(fround(rise[0] + rise[1]) + fround(rise[2] + rise[3]));
  }

  /** The natural logarithm of a positive normal float. */
  private log(x: number): number {
    const { fround } = Math;
    const part = new Float32Array([x]);
    const bits = new Int32Array(part.buffer);
    let exponent = (bits[0] >>> 23) - 127;
    bits[0] = (bits[0] & 0x7fffff) | 0x3f800000;
    let [m] = part;
    if (m > fround(Math.SQRT2)) {
      m /= 2;
      exponent++;
    }
    const s = fround(fround(m - 1) / fround(m + 1));
    const q = fround(s * s);
    let sum = fround(fround(q * fround(2 / 9)) + fround(2 / 7));
    for (const part of [2 / 5, 2 / 3, 2]) sum = fround(fround(sum * q) + fround(part));
    return fround(fround(sum * s) + fround(exponent * fround(Math.LN2)));
  }

  decode(from: number, channels: number, width: number, n: number, out: number, plane: number): number {
    const { floats, view, bytes } = this;
    let bad = -1;
    for (let i = 0; i < n; i++) {
      for (let c = 0; c < channels; c++) {
        const at = from + (i * channels + c) * width;
        const o = out + c * plane + i;
        if (width === 2) floats[o] = view.getInt16(at, true) / 32_768;
        else if (width === 3) floats[o] = (((bytes[at + 2] << 24) | (bytes[at + 1] << 16) | (bytes[at] << 8)) >> 8) / 8_388_608;
        else {
          floats[o] = view.getFloat32(at, true);
          if (bad < 0 && !Number.isFinite(floats[o])) bad = i * channels + c;
        }
      }
    }
    return bad;
  }

  encode(x: number, plane: number, channels: number, n: number, width: number, seed: number, to: number): number {
    const { floats, view, bytes } = this;
    const full = width === 2 ? 32_768 : 8_388_608;
    let state = seed;
    const draw = (): number => {
      state ^= state << 13;
      state ^= state >>> 17;
      state ^= state << 5;
      state >>>= 0;
      return state / 2 ** 32;
    };
    for (let i = 0, at = to; i < n; i++) {
      for (let c = 0; c < channels; c++, at += width) {
        const value = floats[x + c * plane + i];
        if (width === 4) {
          view.setFloat32(at, value, true);
          continue;
        }
        const exact = value * full;
        const noise = seed ? draw() - draw() : 0;
        const whole = Math.max(-full, Math.min(full - 1, Math.floor((Number.isInteger(exact) ? exact : exact + noise) + 0.5)));
        view.setInt16(at, whole & 0xffff, true);
        if (width === 3) bytes[at + 2] = (whole >> 16) & 0xff;
      }
    }
    return state;
  }

  resample(
    taps: number,
    size: number,
    up: number,
    down: number,
    half: number,
    x: number,
    base: number,
    first: number,
    count: number,
    out: number,
  ): void {
    const { floats, doubles } = this;
    for (let k = 0; k < count; k++) {
      const position = (first + k) * down;
      const whole = Math.floor(position / up);
      const h = taps / 2 + (position - whole * up) * size;
      const at = x + whole - half + 1 - base;
      // Four lanes, as the SIMD loop has them.
      let [a, b, c, d] = [0, 0, 0, 0];
      for (let i = 0; i < size; i += 4) {
        a += doubles[h + i] * floats[at + i];
        b += doubles[h + i + 1] * floats[at + i + 1];
        c += doubles[h + i + 2] * floats[at + i + 2];
        d += doubles[h + i + 3] * floats[at + i + 3];
      }
      floats[out + k] = a + c + (b + d);
    }
  }

  glide(rows: number, size: number, places: number, x: number, begin: number, pace: number, count: number, out: number): void {
    const { floats, doubles } = this;
    for (let k = 0; k < count; k++) {
      const place = begin + k * pace;
      const whole = Math.floor(place);
      const part = (place - whole) * places;
      const row = Math.min(places - 1, Math.trunc(part));
      const between = part - row;
      // On a row, or what figures miss of it, that row alone counts.
      const f = between < ON_ROW || between > 1 - ON_ROW ? 0 : between;
      const h = rows / 2 + (row + (between > 1 - ON_ROW ? 1 : 0)) * size;
      const at = x + whole;
      // Eight lanes, as the SIMD loop has them.
      const lanes = [0, 0, 0, 0, 0, 0, 0, 0];
      for (let i = 0; i < size; i++) {
        const w = f === 0 ? doubles[h + i] : doubles[h + i] + (doubles[h + size + i] - doubles[h + i]) * f;
        lanes[i & 7] += w * floats[at + i];
      }
      const [first, second] = [0, 1].map((k) => lanes[k] + lanes[k + 4] + (lanes[k + 2] + lanes[k + 6]));
      floats[out + k] = first + second;
    }
  }

  between64(taps: number, size: number, x: number, groups: number, out: number): void {
    const { floats } = this;
    for (let g = 0; g < groups; g++) {
      let most = 0;
      for (let i = x + g * 64; i < x + g * 64 + 64; i++) {
        most = Math.max(most, Math.abs(floats[i + size / 2 - 1]));
        for (let quarter = 0; quarter < 3; quarter++) {
          let sum = 0;
          for (let k = 0; k < size; k++) sum = Math.fround(sum + Math.fround(floats[i + k] * floats[taps + 4 * k + quarter]));
          most = Math.max(most, Math.abs(sum));
        }
      }
      floats[out + g] = most;
    }
  }
}
