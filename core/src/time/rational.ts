/** Exact fractions of big integers: the arithmetic behind tempo anchors, where a rounding error would grow with the bars. */
export interface Rational {
  readonly num: bigint;
  /** Always above zero. */
  readonly den: bigint;
}

function gcd(a: bigint, b: bigint): bigint {
  if (a < 0n) a = -a;
  while (b !== 0n) [a, b] = [b, a % b];
  return a;
}

/** The greatest whole number that divides two others, above zero. */
export function commonDivisor(a: number, b: number): number {
  while (b) [a, b] = [b, a % b];
  return a;
}

/** num / den in lowest terms. Throws RangeError for a zero denominator. */
export function rational(num: bigint, den = 1n): Rational {
  if (den === 0n) throw new RangeError("A fraction needs a denominator other than zero.");
  if (den < 0n) [num, den] = [-num, -den];
  const g = gcd(num, den);
  return g > 1n ? { num: num / g, den: den / g } : { num, den };
}

/** The fraction a person means by a decimal: 92.1 is 921/10, not the nearest binary number. Throws RangeError unless finite. */
export function fromDecimal(value: number): Rational {
  if (!Number.isFinite(value)) throw new RangeError(`${value} is not a number that can be counted with.`);
  const [mantissa, exponent = "0"] = value.toString().split("e");
  const [whole, part = ""] = mantissa.split(".");
  const shift = part.length - Number(exponent);
  const digits = BigInt(whole + part);
  return shift >= 0 ? rational(digits, 10n ** BigInt(shift)) : rational(digits * 10n ** BigInt(-shift));
}

export const add = (a: Rational, b: Rational): Rational => rational(a.num * b.den + b.num * a.den, a.den * b.den);
export const multiply = (a: Rational, b: Rational): Rational => rational(a.num * b.num, a.den * b.den);
export const divide = (a: Rational, b: Rational): Rational => rational(a.num * b.den, a.den * b.num);
/** Beyond this a denominator is no exact number any more, and soon none at all. */
const EXACT = 2n ** 53n;
/** Bits of a fraction that count: more than a number has. */
const BITS = 64n;
export const toNumber = (a: Rational): number => {
  const whole = a.num / a.den;
  const rest = a.num - whole * a.den;
  // The denominators of many tempos multiply to more than a number can hold.
  return Number(whole) + (a.den < EXACT ? Number(rest) / Number(a.den) : Number((rest << BITS) / a.den) / 2 ** Number(BITS));
};

function floorDivide(a: bigint, b: bigint): bigint {
  const q = a / b;
  return a % b !== 0n && a < 0n !== b < 0n ? q - 1n : q;
}

/** The nearest whole number; halves go up. */
export function roundRational(a: Rational): number {
  return Number(floorDivide(2n * a.num + a.den, 2n * a.den));
}

/** floor((2·n·num + den) / (2·den)): n steps of num/den, rounded once (halves up), in plain numbers while they are exact. */
export function roundMultiple(n: number, num: number, den: number): number {
  const top = 2 * n * num + den;
  if (Math.abs(top) <= Number.MAX_SAFE_INTEGER) {
    const q = Math.floor(top / (2 * den));
    // The quotient of two exact integers can round up onto the next whole number; take that back.
    return q * 2 * den > top ? q - 1 : q;
  }
  return Number(floorDivide(2n * BigInt(n) * BigInt(num) + BigInt(den), 2n * BigInt(den)));
}
