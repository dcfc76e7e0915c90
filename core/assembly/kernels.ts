// The inner loops as WebAssembly SIMD, written in AssemblyScript; `node scripts/kernels.mjs` compiles them into core/src/kernels/wasm.ts.
// Each has a twin in core/src/kernels/twins.ts that gives the same bits. Addresses are bytes in the module's own memory.

/** left += x · gainLeft, right += x · gainRight, for one channel that goes to both sides. */
export function mixBoth(x: usize, left: usize, right: usize, n: i32, gainLeft: f32, gainRight: f32): void {
  const gl = f32x4.splat(gainLeft);
  const gr = f32x4.splat(gainRight);
  const end = x + ((<usize>n & ~3) << 2);
  while (x < end) {
    const v = v128.load(x);
    v128.store(left, f32x4.add(v128.load(left), f32x4.mul(v, gl)));
    v128.store(right, f32x4.add(v128.load(right), f32x4.mul(v, gr)));
    x += 16;
    left += 16;
    right += 16;
  }
  for (let k = n & 3; k > 0; k--) {
    const v = load<f32>(x);
    store<f32>(left, load<f32>(left) + v * gainLeft);
    store<f32>(right, load<f32>(right) + v * gainRight);
    x += 4;
    left += 4;
    right += 4;
  }
}

/**
 * Four channels that each go to both sides, in one pass: they lie `stride` bytes apart from x on, their gains (left, right) in turn at
 * `gains`. The same bits as four calls of mixBoth in that order. n is a multiple of four.
 */
export function mixFour(x: usize, stride: usize, left: usize, right: usize, n: i32, gains: usize): void {
  const al = v128.load_splat<f32>(gains);
  const ar = v128.load_splat<f32>(gains + 4);
  const bl = v128.load_splat<f32>(gains + 8);
  const br = v128.load_splat<f32>(gains + 12);
  const cl = v128.load_splat<f32>(gains + 16);
  const cr = v128.load_splat<f32>(gains + 20);
  const dl = v128.load_splat<f32>(gains + 24);
  const dr = v128.load_splat<f32>(gains + 28);
  const end = x + ((<usize>n) << 2);
  const b = stride;
  const c = stride + stride;
  const d = c + stride;
  while (x < end) {
    const va = v128.load(x);
    const vb = v128.load(x + b);
    const vc = v128.load(x + c);
    const vd = v128.load(x + d);
    let l = v128.load(left);
    let r = v128.load(right);
    l = f32x4.add(l, f32x4.mul(va, al));
    r = f32x4.add(r, f32x4.mul(va, ar));
    l = f32x4.add(l, f32x4.mul(vb, bl));
    r = f32x4.add(r, f32x4.mul(vb, br));
    l = f32x4.add(l, f32x4.mul(vc, cl));
    r = f32x4.add(r, f32x4.mul(vc, cr));
    l = f32x4.add(l, f32x4.mul(vd, dl));
    r = f32x4.add(r, f32x4.mul(vd, dr));
    v128.store(left, l);
    v128.store(right, r);
    x += 16;
    left += 16;
    right += 16;
  }
}

/** out += x · gain. */
export function mixOne(x: usize, out: usize, n: i32, gain: f32): void {
  const g = f32x4.splat(gain);
  const end = x + ((<usize>n & ~3) << 2);
  while (x < end) {
    v128.store(out, f32x4.add(v128.load(out), f32x4.mul(v128.load(x), g)));
    x += 16;
    out += 16;
  }
  for (let k = n & 3; k > 0; k--) {
    store<f32>(out, load<f32>(out) + load<f32>(x) * gain);
    x += 4;
    out += 4;
  }
}

/** The greatest magnitude among n samples. */
export function loudest(x: usize, n: i32): f32 {
  let most = f32x4.splat(0);
  const end = x + ((<usize>n & ~3) << 2);
  while (x < end) {
    most = f32x4.pmax(most, f32x4.abs(v128.load(x)));
    x += 16;
  }
  let one = max(max(f32x4.extract_lane(most, 0), f32x4.extract_lane(most, 1)), max(f32x4.extract_lane(most, 2), f32x4.extract_lane(most, 3)));
  for (let k = n & 3; k > 0; k--) {
    one = max(one, abs(load<f32>(x)));
    x += 4;
  }
  return one;
}

/** Least, greatest and RMS of each 64 samples, as triples at `out`. */
export function peaks64(x: usize, blocks: i32, out: usize): void {
  for (let b = 0; b < blocks; b++) {
    // Two of each, so that one does not wait for the other.
    let v = v128.load(x);
    let w = v128.load(x, 16);
    let low = v;
    let lowToo = w;
    let high = v;
    let highToo = w;
    let sum = f32x4.mul(v, v);
    let sumToo = f32x4.mul(w, w);
    const end = x + 256;
    x += 32;
    while (x < end) {
      v = v128.load(x);
      w = v128.load(x, 16);
      low = f32x4.pmin(low, v);
      lowToo = f32x4.pmin(lowToo, w);
      high = f32x4.pmax(high, v);
      highToo = f32x4.pmax(highToo, w);
      sum = f32x4.add(sum, f32x4.mul(v, v));
      sumToo = f32x4.add(sumToo, f32x4.mul(w, w));
      x += 32;
    }
    low = f32x4.pmin(low, lowToo);
    high = f32x4.pmax(high, highToo);
    sum = f32x4.add(sum, sumToo);
    store<f32>(out, min(min(f32x4.extract_lane(low, 0), f32x4.extract_lane(low, 1)), min(f32x4.extract_lane(low, 2), f32x4.extract_lane(low, 3))));
    store<f32>(
      out + 4,
      max(max(f32x4.extract_lane(high, 0), f32x4.extract_lane(high, 1)), max(f32x4.extract_lane(high, 2), f32x4.extract_lane(high, 3))),
    );
    const all = f32x4.extract_lane(sum, 0) + f32x4.extract_lane(sum, 1) + (f32x4.extract_lane(sum, 2) + f32x4.extract_lane(sum, 3));
    store<f32>(out + 8, sqrt<f32>(all / 64));
    out += 12;
  }
}

/** The next level of a pyramid: each four triples of least, greatest and RMS become one. */
export function coarser(x: usize, groups: i32, out: usize): void {
  for (let g = 0; g < groups; g++) {
    const low = min(min(load<f32>(x), load<f32>(x, 12)), min(load<f32>(x, 24), load<f32>(x, 36)));
    const high = max(max(load<f32>(x, 4), load<f32>(x, 16)), max(load<f32>(x, 28), load<f32>(x, 40)));
    const a = load<f32>(x, 8);
    const b = load<f32>(x, 20);
    const c = load<f32>(x, 32);
    const d = load<f32>(x, 44);
    store<f32>(out, low);
    store<f32>(out, high, 4);
    store<f32>(out, sqrt<f32>((a * a + b * b + (c * c + d * d)) / 4), 8);
    x += 48;
    out += 12;
  }
}

/**
 * What the next reflection of a predictor is worked out from, in one pass over n errors of each kind: at out the sum of their products, and
 * behind it that of both their squares; n is a multiple of four.
 */
export function reflect(x: usize, y: usize, n: i32, out: usize): void {
  let products = f32x4.splat(0);
  let squares = f32x4.splat(0);
  const end = x + ((<usize>n) << 2);
  while (x < end) {
    const a = v128.load(x);
    const b = v128.load(y);
    products = f32x4.add(products, f32x4.mul(a, b));
    squares = f32x4.add(squares, f32x4.add(f32x4.mul(a, a), f32x4.mul(b, b)));
    x += 16;
    y += 16;
  }
  store<f32>(out, f32x4.extract_lane(products, 0) + f32x4.extract_lane(products, 1) + (f32x4.extract_lane(products, 2) + f32x4.extract_lane(products, 3)));
  store<f32>(out + 4, f32x4.extract_lane(squares, 0) + f32x4.extract_lane(squares, 1) + (f32x4.extract_lane(squares, 2) + f32x4.extract_lane(squares, 3)));
}

/** One step of a lattice: n forward errors at x and backward ones at y, each takes in so much of the other. */
export function lattice(x: usize, y: usize, n: i32, reflection: f32): void {
  const r = f32x4.splat(reflection);
  for (let q = n >> 2; q > 0; q--) {
    const a = v128.load(x);
    const b = v128.load(y);
    v128.store(x, f32x4.add(a, f32x4.mul(b, r)));
    v128.store(y, f32x4.add(b, f32x4.mul(a, r)));
    x += 16;
    y += 16;
  }
  for (let i = n & 3; i > 0; i--) {
    const a = load<f32>(x);
    const b = load<f32>(y);
    store<f32>(x, a + b * reflection);
    store<f32>(y, b + a * reflection);
    x += 4;
    y += 4;
  }
}

/** Natural logarithms of four positive normal floats: ln m = 2 · (s + s³/3 + s⁵/5 + …) with s = (m − 1) / (m + 1), m within √½ … √2. */
// @ts-ignore: decorator
@inline
function logs(x: v128): v128 {
  let exponent = i32x4.sub(i32x4.shr_u(x, 23), i32x4.splat(127));
  let m = v128.or(v128.and(x, i32x4.splat(0x7fffff)), i32x4.splat(0x3f800000));
  const high = f32x4.gt(m, f32x4.splat(1.41421356));
  m = v128.bitselect(f32x4.mul(m, f32x4.splat(0.5)), m, high);
  exponent = i32x4.sub(exponent, high);
  const s = f32x4.div(f32x4.sub(m, f32x4.splat(1)), f32x4.add(m, f32x4.splat(1)));
  const q = f32x4.mul(s, s);
  let sum = f32x4.add(f32x4.mul(q, f32x4.splat(2.0 / 9)), f32x4.splat(2.0 / 7));
  sum = f32x4.add(f32x4.mul(sum, q), f32x4.splat(2.0 / 5));
  sum = f32x4.add(f32x4.mul(sum, q), f32x4.splat(2.0 / 3));
  sum = f32x4.add(f32x4.mul(sum, q), f32x4.splat(2));
  return f32x4.add(f32x4.mul(sum, s), f32x4.mul(f32x4.convert_i32x4_s(exponent), f32x4.splat(0.69314718)));
}

/**
 * How much is new in the bands of a frame: the sum of what the logarithms of their levels have risen by, above the most that they and their
 * neighbours had in the frame at `before`. Band b holds bins from edges[b] up to edges[b + 1] of `powers`; `wide` is the number of bands rounded
 * up to fours. At `state` lie rows of `wide` floats: each band's share of a bin, its quiet, its smoothed level; behind them how loud what is
 * new is. A frame's row holds its levels, and four further on the logarithms, with a place for a neighbour on both sides.
 */
export function risen(powers: usize, edges: usize, bands: i32, state: usize, before: usize, now: usize, up: f32, first: i32): f32 {
  const wide = (<usize>((bands + 3) & ~3)) << 2;
  let bin = <i32>load<f32>(edges);
  for (let b = 0; b < bands; b++) {
    const end = <i32>load<f32>(edges + ((<usize>b + 1) << 2));
    let power: f32 = 0;
    for (; bin < end; bin++) power += load<f32>(powers + ((<usize>bin) << 2));
    store<f32>(now + ((<usize>b) << 2), power);
  }
  const logsBefore = before + wide + 16;
  const logsNow = now + wide + 16;
  const least = f32x4.splat(1e-5);
  let rise = f32x4.splat(0);
  let louder = f32x4.splat(0);
  for (let b: usize = 0; b < wide; b += 16) {
    const level = f32x4.sqrt(f32x4.mul(v128.load(now + b), v128.load(state + b)));
    const smooth = f32x4.add(v128.load(state + 2 * wide + b), f32x4.mul(f32x4.sub(level, v128.load(state + 2 * wide + b)), f32x4.splat(0.3)));
    const quiet = first
      ? f32x4.max(level, least)
      : f32x4.min(f32x4.mul(v128.load(state + wide + b), f32x4.splat(up)), f32x4.max(smooth, f32x4.splat(1e-6)));
    v128.store(now + b, level);
    v128.store(state + wide + b, quiet);
    v128.store(state + 2 * wide + b, smooth);
    const own = logs(f32x4.add(f32x4.add(level, f32x4.add(quiet, quiet)), least));
    v128.store(logsNow + b, own);
    const most = f32x4.max(f32x4.max(v128.load(logsBefore + b - 4), v128.load(logsBefore + b)), v128.load(logsBefore + b + 4));
    const above = f32x4.sub(own, most);
    const is = f32x4.gt(above, f32x4.splat(0));
    rise = f32x4.add(rise, v128.and(above, is));
    louder = f32x4.add(louder, v128.and(f32x4.max(f32x4.sub(level, v128.load(before + b)), f32x4.splat(0)), is));
  }
  // Beyond the outermost bands lies what they are themselves.
  store<f32>(logsNow - 4, load<f32>(logsNow));
  const last = logsNow + ((<usize>bands) << 2);
  store<f32>(last, load<f32>(last - 4));
  store<f32>(state + 3 * wide, f32x4.extract_lane(louder, 0) + f32x4.extract_lane(louder, 1) + (f32x4.extract_lane(louder, 2) + f32x4.extract_lane(louder, 3)));
  return f32x4.extract_lane(rise, 0) + f32x4.extract_lane(rise, 1) + (f32x4.extract_lane(rise, 2) + f32x4.extract_lane(rise, 3));
}

/** n samples, each times a weight of its own, to out; n is a multiple of four. */
export function weigh(x: usize, weights: usize, n: i32, out: usize): void {
  const end = x + ((<usize>n) << 2);
  while (x < end) {
    v128.store(out, f32x4.mul(v128.load(x), v128.load(weights)));
    x += 16;
    weights += 16;
    out += 16;
  }
}

/** The means of n pairs of neighbours, to out, which may be x; n is a multiple of four. */
export function halve(x: usize, n: i32, out: usize): void {
  const half = f32x4.splat(0.5);
  for (; n > 0; n -= 4, x += 32, out += 16) {
    // Each sample with its neighbour moved down beside it: every other sum counts.
    let a = v128.load(x);
    let b = v128.load(x, 16);
    a = f32x4.mul(f32x4.add(a, i64x2.shr_u(a, 32)), half);
    b = f32x4.mul(f32x4.add(b, i64x2.shr_u(b, 32)), half);
    v128.store_lane<f32>(out, a, 0);
    v128.store_lane<f32>(out, a, 2, 4);
    v128.store_lane<f32>(out, b, 0, 8);
    v128.store_lane<f32>(out, b, 2, 12);
  }
}

/** The powers of a step, 0 … 15, of the swell that is under way. */
const within = memory.data(64);

/**
 * n samples at x, each times factor · step^k, where k counts from `skip` on. A power is the product of three, of 1,024, of 16 and of single samples: the
 * former two in doubles, so that a sample's factor hangs on its k alone and any k is soon come to.
 */
export function swell(x: usize, n: i32, skip: i32, factor: f64, step: f64): void {
  let power: f64 = 1;
  for (let j: usize = 0; j < 64; j += 4) {
    store<f32>(within + j, <f32>power);
    power *= step;
  }
  const sixteen = power;
  let wide = sixteen * sixteen;
  for (let j = 0; j < 5; j++) wide *= wide;
  let far = factor;
  for (let q = skip >> 10; q > 0; q--) far *= wide;
  let near: f64 = 1;
  let group = (skip >> 4) & 63;
  for (let q = group; q > 0; q--) near *= sixteen;
  const a = v128.load(within);
  const b = v128.load(within, 16);
  const c = v128.load(within, 32);
  const d = v128.load(within, 48);
  let k = skip & 15;
  while (n > 0) {
    if (k == 0) {
      const groups = min(64 - group, n >> 4);
      for (let q = groups; q > 0; q--, x += 64) {
        const all = f32x4.splat(<f32>(far * near));
        v128.store(x, f32x4.mul(v128.load(x), f32x4.mul(all, a)));
        v128.store(x, f32x4.mul(v128.load(x, 16), f32x4.mul(all, b)), 16);
        v128.store(x, f32x4.mul(v128.load(x, 32), f32x4.mul(all, c)), 32);
        v128.store(x, f32x4.mul(v128.load(x, 48), f32x4.mul(all, d)), 48);
        near *= sixteen;
      }
      group += groups;
      n -= groups << 4;
    }
    if (group < 64) {
      const own = <f32>(far * near);
      for (; k < 16 && n > 0; k++, n--, x += 4) store<f32>(x, load<f32>(x) * (own * load<f32>(within + ((<usize>k) << 2))));
      k = 0;
      group++;
      near *= sixteen;
    }
    if (group == 64) {
      group = 0;
      near = 1;
      far *= wide;
    }
  }
}

/** Two neighbours, each twice. */
// @ts-ignore: decorator
@inline
function twice(x: usize): v128 {
  return f32x4.replace_lane(f32x4.replace_lane(v128.load_splat<f32>(x), 2, load<f32>(x, 4)), 3, load<f32>(x, 4));
}

/** The four before an address, the last one first. */
// @ts-ignore: decorator
@inline
function backwards(end: usize): v128 {
  let four = v128.load_splat<f32>(end - 4);
  four = v128.load_lane<f32>(end - 8, four, 1);
  four = v128.load_lane<f32>(end - 12, four, 2);
  return v128.load_lane<f32>(end - 16, four, 3);
}

/** Stores four of one and four of another by turns. */
// @ts-ignore: decorator
@inline
function inTurns(to: usize, e: v128, f: v128): void {
  v128.store_lane<f32>(to, e, 0);
  v128.store_lane<f32>(to, f, 0, 4);
  v128.store_lane<f32>(to, e, 1, 8);
  v128.store_lane<f32>(to, f, 1, 12);
  v128.store_lane<f32>(to, e, 2, 16);
  v128.store_lane<f32>(to, f, 2, 20);
  v128.store_lane<f32>(to, e, 3, 24);
  v128.store_lane<f32>(to, f, 3, 28);
}

/** The same two at a time. */
// @ts-ignore: decorator
@inline
function inPairs(to: usize, e: v128, f: v128): void {
  v128.store_lane<i64>(to, e, 0);
  v128.store_lane<i64>(to, f, 0, 8);
  v128.store_lane<i64>(to, e, 1, 16);
  v128.store_lane<i64>(to, f, 1, 24);
}

/**
 * A complex Fourier transform of `size` (a power of two, at least 16) samples at `re` and `im`, in order both before and after (Stockham's
 * way), by turns from there to `spare` (the real parts, then the imaginary ones) and back. Returns the address of the real parts in the end; the imaginary ones
 * are where they would be there. `turns` holds cosines, then as many negative sines: for the stage of l turns, at l … 2 · l − 1.
 */
export function fourier(re: usize, im: usize, size: i32, turns: usize, spare: usize): usize {
  const bytes = (<usize>size) << 2;
  const half = bytes >> 1;
  let xr = re;
  let xi = im;
  let yr = spare;
  let yi = spare + bytes;
  for (let l = half, m: usize = 4; l >= 4; l >>= 1, m <<= 1) {
    const cos = turns + l;
    const sin = cos + bytes;
    if (m >= 16) {
      for (let j: usize = 0; j < l; j += 4) {
        const c = v128.load_splat<f32>(cos + j);
        const s = v128.load_splat<f32>(sin + j);
        const from = (j >> 2) * m;
        const to = from << 1;
        for (let k: usize = 0; k < m; k += 16) {
          const ar = v128.load(xr + from + k);
          const ai = v128.load(xi + from + k);
          const br = v128.load(xr + from + k + half);
          const bi = v128.load(xi + from + k + half);
          const dr = f32x4.sub(ar, br);
          const di = f32x4.sub(ai, bi);
          v128.store(yr + to + k, f32x4.add(ar, br));
          v128.store(yi + to + k, f32x4.add(ai, bi));
          v128.store(yr + to + k + m, f32x4.sub(f32x4.mul(dr, c), f32x4.mul(di, s)));
          v128.store(yi + to + k + m, f32x4.add(f32x4.mul(dr, s), f32x4.mul(di, c)));
        }
      }
    } else {
      // The first two stages: four neighbours have turns of their own, or two.
      for (let o: usize = 0; o < half; o += 16) {
        const pair = o >> 1;
        const c = m == 4 ? v128.load(cos + o) : twice(cos + pair);
        const s = m == 4 ? v128.load(sin + o) : twice(sin + pair);
        const ar = v128.load(xr + o);
        const ai = v128.load(xi + o);
        const br = v128.load(xr + o + half);
        const bi = v128.load(xi + o + half);
        const dr = f32x4.sub(ar, br);
        const di = f32x4.sub(ai, bi);
        const er = f32x4.add(ar, br);
        const ei = f32x4.add(ai, bi);
        const fr = f32x4.sub(f32x4.mul(dr, c), f32x4.mul(di, s));
        const fi = f32x4.add(f32x4.mul(dr, s), f32x4.mul(di, c));
        const to = o << 1;
        if (m == 4) {
          inTurns(yr + to, er, fr);
          inTurns(yi + to, ei, fi);
        } else {
          inPairs(yr + to, er, fr);
          inPairs(yi + to, ei, fi);
        }
      }
    }
    const r = xr;
    const i = xi;
    xr = yr;
    xi = yi;
    yr = r;
    yi = i;
  }
  return xr;
}

/**
 * The powers of bins 1 … size / 2 of two real signals that were transformed as one complex one, its real parts at `re` and its imaginary ones
 * `size` later: of the first at `first`, of the second at `second`. `size` is a multiple of eight.
 */
export function apart(re: usize, size: i32, first: usize, second: usize): void {
  const bytes = (<usize>size) << 2;
  const im = re + bytes;
  const quarter = f32x4.splat(0.25);
  for (let o: usize = 0; o < bytes >> 1; o += 16) {
    const x = v128.load(re + o + 4);
    const y = v128.load(im + o + 4);
    const u = backwards(re + bytes - o);
    const v = backwards(im + bytes - o);
    const a = f32x4.add(x, u);
    const b = f32x4.sub(y, v);
    const c = f32x4.add(y, v);
    const d = f32x4.sub(u, x);
    v128.store(first + o, f32x4.mul(f32x4.add(f32x4.mul(a, a), f32x4.mul(b, b)), quarter));
    v128.store(second + o, f32x4.mul(f32x4.add(f32x4.mul(c, c), f32x4.mul(d, d)), quarter));
  }
}

/**
 * Interleaved little-endian samples of 2 or 3 bytes (whole numbers) or 4 (floats) to floats, channel c to out + c · plane. Returns the place
 * (frame · channels + channel) of the first float that is no finite number, or −1.
 */
export function decode(bytes: usize, channels: i32, width: i32, n: i32, out: usize, plane: usize): i32 {
  const step = channels * width;
  let bad = -1;
  // The common files: 16 bits, one or two channels, four frames at a time.
  const quads: i32 = width == 2 && channels <= 2 ? n >> 2 : 0;
  const unit = f32x4.splat(<f32>(1.0 / 32768));
  if (channels == 1) {
    for (let q = 0; q < quads; q++) v128.store(out + ((<usize>q) << 4), f32x4.mul(f32x4.convert_i32x4_s(v128.load16x4_s(bytes + ((<usize>q) << 3))), unit));
  } else {
    for (let q = 0; q < quads; q++) {
      const v = v128.load(bytes + ((<usize>q) << 4));
      v128.store(out + ((<usize>q) << 4), f32x4.mul(f32x4.convert_i32x4_s(i32x4.shr_s(i32x4.shl(v, 16), 16)), unit));
      v128.store(out + plane + ((<usize>q) << 4), f32x4.mul(f32x4.convert_i32x4_s(i32x4.shr_s(v, 16)), unit));
    }
  }
  const first = quads << 2;
  for (let c = 0; c < channels; c++) {
    let at = bytes + c * width + first * step;
    let to = out + <usize>c * plane + ((<usize>first) << 2);
    const end = out + <usize>c * plane + <usize>n * 4;
    if (width == 2) {
      for (; to < end; to += 4, at += step) store<f32>(to, <f32>load<i16>(at) * <f32>(1.0 / 32768));
    } else if (width == 3) {
      for (; to < end; to += 4, at += step) {
        const v = ((<i32>load<i8>(at, 2)) << 16) | <i32>load<u16>(at);
        store<f32>(to, <f32>v * <f32>(1.0 / 8388608));
      }
    } else {
      for (let i = 0; to < end; to += 4, at += step, i++) {
        const v = load<u32>(at);
        if ((v & 0x7f800000) == 0x7f800000) {
          const place = i * channels + c;
          if (bad < 0 || place < bad) bad = place;
        }
        store<u32>(to, v);
      }
    }
  }
  return bad;
}

/** The next number of xorshift32. */
// @ts-ignore: a decorator of AssemblyScript
@inline
function drawn(seed: u32): u32 {
  seed ^= seed << 13;
  seed ^= seed >> 17;
  return seed ^ (seed << 5);
}

/** A whole number as its 2 or 3 lowest bytes. */
// @ts-ignore: a decorator of AssemblyScript
@inline
function put(whole: i32, width: i32, out: usize): void {
  store<u16>(out, <u16>whole);
  if (width == 3) store<u8>(out, <u8>(whole >> 16), 2);
}

/**
 * Floats, channel c at x + c · plane, to interleaved little-endian samples of 2 or 3 bytes (whole numbers) or 4 (floats). Whole numbers
 * round to the nearest step, halves up, and stop at the ends of their range; with a seed other than 0 each that is not on a step gets
 * triangular noise first (xorshift32, two draws a sample). Returns the seed to go on with.
 */
export function encode(x: usize, plane: usize, channels: i32, n: i32, width: i32, seed: u32, out: usize): u32 {
  if (width == 4) {
    for (let i = 0; i < n; i++) {
      for (let c = 0; c < channels; c++) {
        store<u32>(out, load<u32>(x + <usize>c * plane + ((<usize>i) << 2)));
        out += 4;
      }
    }
    return seed;
  }
  const full: f64 = width == 2 ? 32768 : 8388608;
  const most: i32 = width == 2 ? 32767 : 8388607;
  const dithered = seed != 0;
  let i = 0;
  if (channels <= 2) {
    // Two samples at a time: both of a frame, or one of each of two frames.
    const second: usize = channels == 2 ? plane : 4;
    const next: usize = channels == 2 ? 4 : 8;
    const pairs = channels == 2 ? n : n >> 1;
    i = channels == 2 ? n : n & ~1;
    const lowest = i32x4.splat(-most - 1);
    const highest = i32x4.splat(most);
    const half = f64x2.splat(0.5);
    const scale = f64x2.splat(full);
    const unit = f64x2.splat(1.0 / 4294967296.0);
    for (let p = 0; p < pairs; p++) {
      let v = f64x2.mul(f64x2.promote_low_f32x4(f32x4.replace_lane(v128.load32_zero(x), 1, load<f32>(x + second))), scale);
      if (dithered) {
        seed = drawn(seed);
        let first = i32x4.splat(seed);
        seed = drawn(seed);
        let then = i32x4.splat(seed);
        seed = drawn(seed);
        first = i32x4.replace_lane(first, 1, seed);
        seed = drawn(seed);
        then = i32x4.replace_lane(then, 1, seed);
        const noise = f64x2.mul(f64x2.sub(f64x2.convert_low_i32x4_u(first), f64x2.convert_low_i32x4_u(then)), unit);
        v = f64x2.add(v, v128.and(noise, f64x2.ne(v, f64x2.floor(v))));
      }
      // Values out of reach of 32 bits stop at their ends first.
      const whole = i32x4.max_s(lowest, i32x4.min_s(highest, i32x4.trunc_sat_f64x2_s_zero(f64x2.floor(f64x2.add(v, half)))));
      put(i32x4.extract_lane(whole, 0), width, out);
      put(i32x4.extract_lane(whole, 1), width, out + width);
      x += next;
      out += 2 * width;
    }
    // The planes go on where the pairs end.
    x -= (<usize>i) << 2;
  }
  for (; i < n; i++) {
    for (let c = 0; c < channels; c++) {
      let v = <f64>load<f32>(x + <usize>c * plane + ((<usize>i) << 2)) * full;
      if (dithered) {
        seed = drawn(seed);
        const first = <f64>seed;
        seed = drawn(seed);
        if (floor(v) != v) v += (first - <f64>seed) * (1.0 / 4294967296.0);
      }
      put(max(-most - 1, min(most, <i32>floor(v + 0.5))), width, out);
      out += width;
    }
  }
  return seed;
}

/**
 * Polyphase resampling: output k lies at input position (first + k) · down / up. `taps` holds `up` filters of `size` (a multiple of four)
 * doubles, `x` the input from sample `base` on. Sums are doubles in four lanes.
 */
export function resample(taps: usize, size: i32, up: i64, down: i64, half: i64, x: usize, base: i64, first: i64, count: i32, out: usize): void {
  let position = first * down;
  for (let k = 0; k < count; k++) {
    const whole = position / up;
    let h = taps + <usize>((position - whole * up) * size) * 8;
    let at = x + <usize>(whole - half + 1 - base) * 4;
    let even = f64x2.splat(0);
    let odd = f64x2.splat(0);
    const end = h + <usize>size * 8;
    while (h < end) {
      even = f64x2.add(even, f64x2.mul(v128.load(h), f64x2.promote_low_f32x4(v128.load64_zero(at))));
      odd = f64x2.add(odd, f64x2.mul(v128.load(h, 16), f64x2.promote_low_f32x4(v128.load64_zero(at, 8))));
      h += 32;
      at += 16;
    }
    const sum = f64x2.add(even, odd);
    store<f32>(out, <f32>(f64x2.extract_lane(sum, 0) + f64x2.extract_lane(sum, 1)));
    out += 4;
    position += down;
  }
}

/** What figures miss of a row. */
const ON_ROW: f64 = 1e-6;

/** Two weights between those of a row and of the next. */
// @ts-ignore: decorator
@inline
function weight(h: usize, next: usize, f: v128): v128 {
  const own = v128.load(h);
  return f64x2.add(own, f64x2.mul(f64x2.sub(v128.load(next), own), f));
}

/**
 * Reads `x` at places begin, begin + pace, …: each output is the sum of `size` (a multiple of four) samples from the whole part of its place
 * on, weighted by a row of doubles straight between the two rows around its fraction, or by one of them where it lies on it; `rows` holds
 * `places` + 1 of them. Eight lanes, so that no sum waits for the one before it.
 */
export function glide(rows: usize, size: i32, places: i32, x: usize, begin: f64, pace: f64, count: i32, out: usize): void {
  for (let k = 0; k < count; k++) {
    const place = begin + <f64>k * pace;
    const whole = floor(place);
    const part = (place - whole) * <f64>places;
    const row = min(places - 1, <i32>part);
    const between = part - <f64>row;
    const f = f64x2.splat(between);
    let h = rows + <usize>(row * size) * 8;
    let next = h + <usize>size * 8;
    let at = x + <usize>(<i32>whole) * 4;
    let even = f64x2.splat(0);
    let odd = f64x2.splat(0);
    let evenToo = f64x2.splat(0);
    let oddToo = f64x2.splat(0);
    const onRow = between < ON_ROW || between > 1 - ON_ROW;
    if (onRow && between >= ON_ROW) h = next;
    const end = h + <usize>size * 8;
    if (onRow) {
      for (; h + 64 <= end; h += 64, at += 32) {
        even = f64x2.add(even, f64x2.mul(v128.load(h), f64x2.promote_low_f32x4(v128.load64_zero(at))));
        odd = f64x2.add(odd, f64x2.mul(v128.load(h, 16), f64x2.promote_low_f32x4(v128.load64_zero(at, 8))));
        evenToo = f64x2.add(evenToo, f64x2.mul(v128.load(h, 32), f64x2.promote_low_f32x4(v128.load64_zero(at, 16))));
        oddToo = f64x2.add(oddToo, f64x2.mul(v128.load(h, 48), f64x2.promote_low_f32x4(v128.load64_zero(at, 24))));
      }
      if (h < end) {
        even = f64x2.add(even, f64x2.mul(v128.load(h), f64x2.promote_low_f32x4(v128.load64_zero(at))));
        odd = f64x2.add(odd, f64x2.mul(v128.load(h, 16), f64x2.promote_low_f32x4(v128.load64_zero(at, 8))));
      }
    } else {
      for (; h + 64 <= end; h += 64, next += 64, at += 32) {
        even = f64x2.add(even, f64x2.mul(weight(h, next, f), f64x2.promote_low_f32x4(v128.load64_zero(at))));
        odd = f64x2.add(odd, f64x2.mul(weight(h + 16, next + 16, f), f64x2.promote_low_f32x4(v128.load64_zero(at, 8))));
        evenToo = f64x2.add(evenToo, f64x2.mul(weight(h + 32, next + 32, f), f64x2.promote_low_f32x4(v128.load64_zero(at, 16))));
        oddToo = f64x2.add(oddToo, f64x2.mul(weight(h + 48, next + 48, f), f64x2.promote_low_f32x4(v128.load64_zero(at, 24))));
      }
      if (h < end) {
        even = f64x2.add(even, f64x2.mul(weight(h, next, f), f64x2.promote_low_f32x4(v128.load64_zero(at))));
        odd = f64x2.add(odd, f64x2.mul(weight(h + 16, next + 16, f), f64x2.promote_low_f32x4(v128.load64_zero(at, 8))));
      }
    }
    const sum = f64x2.add(f64x2.add(even, evenToo), f64x2.add(odd, oddToo));
    store<f32>(out, <f32>(f64x2.extract_lane(sum, 0) + f64x2.extract_lane(sum, 1)));
    out += 4;
  }
}

/**
 * The greatest magnitude that each of some groups of 64 samples has at them and at the quarters between them and the next: `size` taps, each
 * of three quarters and one left out, in single precision; the samples themselves lie size / 2 − 1 after where their taps begin.
 */
export function between64(taps: usize, size: i32, x: usize, groups: i32, out: usize): void {
  const end = taps + ((<usize>size) << 4);
  const middle = (<usize>(size / 2 - 1)) << 2;
  for (let g = 0; g < groups; g++) {
    let most = f32x4.splat(0);
    for (let i = 0; i < 8; i++) {
      let a = f32x4.splat(0);
      let b = f32x4.splat(0);
      let c = f32x4.splat(0);
      let d = f32x4.splat(0);
      let e = f32x4.splat(0);
      let f = f32x4.splat(0);
      let at = x;
      for (let h = taps; h < end; h += 16) {
        const first = v128.load(at);
        const second = v128.load(at, 16);
        const p = v128.load_splat<f32>(h);
        const q = v128.load_splat<f32>(h, 4);
        const r = v128.load_splat<f32>(h, 8);
        a = f32x4.add(a, f32x4.mul(first, p));
        b = f32x4.add(b, f32x4.mul(first, q));
        c = f32x4.add(c, f32x4.mul(first, r));
        d = f32x4.add(d, f32x4.mul(second, p));
        e = f32x4.add(e, f32x4.mul(second, q));
        f = f32x4.add(f, f32x4.mul(second, r));
        at += 4;
      }
      most = f32x4.max(most, f32x4.abs(a));
      most = f32x4.max(most, f32x4.abs(b));
      most = f32x4.max(most, f32x4.abs(c));
      most = f32x4.max(most, f32x4.abs(d));
      most = f32x4.max(most, f32x4.abs(e));
      most = f32x4.max(most, f32x4.abs(f));
      most = f32x4.max(most, f32x4.abs(v128.load(x + middle)));
      most = f32x4.max(most, f32x4.abs(v128.load(x + middle, 16)));
      x += 32;
    }
    store<f32>(out, max(max(f32x4.extract_lane(most, 0), f32x4.extract_lane(most, 1)), max(f32x4.extract_lane(most, 2), f32x4.extract_lane(most, 3))));
    out += 4;
  }
}
