import type { Exact } from './types.ts';

/** Brings a bigint back to a number where that is exact. */
export const narrow = (value: bigint): Exact =>
  value >= BigInt(Number.MIN_SAFE_INTEGER) && value <= BigInt(Number.MAX_SAFE_INTEGER)
    ? Number(value)
    : value;

export function add(a: Exact, b: Exact): Exact {
  if (typeof a === 'number' && typeof b === 'number') {
    const sum = a + b;
    if (Number.isSafeInteger(sum)) return sum;
  }
  return narrow(BigInt(a) + BigInt(b));
}

export function subtract(a: Exact, b: Exact): Exact {
  if (typeof a === 'number' && typeof b === 'number') {
    const difference = a - b;
    if (Number.isSafeInteger(difference)) return difference;
  }
  return narrow(BigInt(a) - BigInt(b));
}

export function multiply(a: Exact, b: Exact): Exact {
  if (typeof a === 'number' && typeof b === 'number') {
    const product = a * b;
    if (Number.isSafeInteger(product)) return product === 0 ? 0 : product;
  }
  return narrow(BigInt(a) * BigInt(b));
}

export const negate = (a: Exact): Exact => (typeof a === 'number' ? (a === 0 ? 0 : -a) : narrow(-a));

/** -1, 0 or 1. Mixed numbers and bigints compare by value in JavaScript. */
export const compareExact = (a: Exact, b: Exact): number => (a < b ? -1 : a > b ? 1 : 0);

/** Quotient toward zero; the divisor is not zero. */
export function divideTowardZero(a: Exact, b: Exact): Exact {
  if (typeof a === 'number' && typeof b === 'number') return Math.trunc(a / b) + 0;
  return narrow(BigInt(a) / BigInt(b));
}

/** Remainder with the sign of the dividend; the divisor is not zero. */
export function remainder(a: Exact, b: Exact): Exact {
  if (typeof a === 'number' && typeof b === 'number') return (a % b) + 0;
  return narrow(BigInt(a) % BigInt(b));
}

export const powerOfTen = (exponent: number): Exact =>
  exponent <= 15 ? 10 ** exponent : 10n ** BigInt(exponent);

/** Quotient rounded half away from zero; the divisor is positive. */
export function divideRounded(a: Exact, b: Exact): Exact {
  const [n, d] = [BigInt(a), BigInt(b)];
  const twice = 2n * (n < 0n ? -n : n) + d;
  const quotient = twice / (2n * d);
  return narrow(n < 0n ? -quotient : quotient);
}

/** The same quantity at another scale; to fewer digits it rounds half away from zero. */
export function rescale(value: Exact, from: number, to: number): Exact {
  if (from === to) return value;
  return to > from ? multiply(value, powerOfTen(to - from)) : divideRounded(value, powerOfTen(from - to));
}

/** A scaled value as a double, correctly rounded also beyond 2^53. */
export function toDouble(value: Exact, scale: number): number {
  if (scale === 0) return Number(value);
  if (typeof value === 'number' && scale <= 22) return value / 10 ** scale;
  return Number(formatExact(value, scale));
}

/** Decimal notation with exactly `scale` digits after the point: (1234, 2) gives "12.34". */
export function formatExact(value: Exact, scale: number): string {
  if (scale === 0) return value.toString();
  const negative = value < 0;
  const digits = (negative ? -value : value).toString().padStart(scale + 1, '0');
  return `${negative ? '-' : ''}${digits.slice(0, -scale)}.${digits.slice(-scale)}`;
}

const NUMBER_PATTERN = /^([+-]?)(\d+)(?:\.(\d*))?$|^([+-]?)\.(\d+)$/;

/** Reads plain decimal notation to its own scale; undefined for anything else, exponents included. */
export function parseExact(text: string): { value: Exact; scale: number; digits: number } | undefined {
  const match = NUMBER_PATTERN.exec(text);
  if (!match) return undefined;
  const sign = match[1] ?? match[4];
  const whole = match[2] ?? '0';
  const fraction = match[3] ?? match[5] ?? '';
  const joined = whole + fraction;
  const magnitude: Exact = joined.length <= 15 ? Number(joined) : narrow(BigInt(joined));
  const digits = whole.replace(/^0+/, '').length + fraction.length;
  return { value: sign === '-' ? negate(magnitude) : magnitude, scale: fraction.length, digits };
}

/** The double nearest to an integer stays exact here: rounds half away from zero at `places` digits. */
export function roundDouble(value: number, places: number): number {
  if (!Number.isFinite(value)) return value;
  const shifted = Number(`${Math.abs(value)}e${places}`);
  if (!Number.isFinite(shifted) || Number.isNaN(shifted)) {
    const factor = 10 ** places;
    return (Math.sign(value) * Math.round(Math.abs(value) * factor)) / factor;
  }
  return Math.sign(value) * Number(`${Math.round(shifted)}e${-places}`);
}
