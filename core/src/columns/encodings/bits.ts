/** Bits needed for values from 0 to `largest`; 0 for a single value. */
export const bitsFor = (largest: number): number => (largest === 0 ? 0 : Math.floor(Math.log2(largest)) + 1);

export const packedBytes = (count: number, width: number): number => Math.ceil((count * width) / 8);

/** Up to this width a value and its shift fit the four bytes that are read or written at once. */
const FAST_WIDTH = 24;

/**
 * Packs `count` values minus `base`, least significant bit first, at `width` bits (0 to 32) each, into `out`
 * from byte `at` on.
 */
export function packBits(
  values: ArrayLike<number>,
  from: number,
  count: number,
  base: number,
  width: number,
  out: Uint8Array,
  at: number,
): void {
  if (width === 0) return;
  if (width > FAST_WIDTH) return packWide(values, from, count, base, width, out, at);
  let held = 0;
  let bits = 0; // bits waiting in `held`, below 8 after each value
  for (let i = from; i < from + count; i++) {
    held |= (values[i]! - base) << bits;
    bits += width;
    while (bits >= 8) {
      out[at++] = held;
      held >>>= 8;
      bits -= 8;
    }
  }
  if (bits > 0) out[at] = held;
}

/** As `packBits` for any width, a byte's share at a time: the plain version, kept for wide values. */
function packWide(
  values: ArrayLike<number>,
  from: number,
  count: number,
  base: number,
  width: number,
  out: Uint8Array,
  at: number,
): void {
  let [bits, held] = [0, 0];
  for (let i = 0; i < count; i++) {
    let value = values[from + i]! - base;
    let left = width;
    while (left > 0) {
      const take = Math.min(left, 8 - bits);
      held |= (value & ((1 << take) - 1)) << bits;
      value = Math.floor(value / 2 ** take);
      bits += take;
      left -= take;
      if (bits === 8) {
        out[at++] = held;
        [held, bits] = [0, 0];
      }
    }
  }
  if (bits > 0) out[at] = held;
}

/** The inverse of `packBits`. */
export function unpackBits(
  bytes: Uint8Array,
  at: number,
  width: number,
  base: number,
  out: { [index: number]: number },
  from: number,
  count: number,
): void {
  if (width === 0) {
    for (let i = 0; i < count; i++) out[from + i] = base;
    return;
  }
  if (width > FAST_WIDTH) return unpackWide(bytes, at, width, base, out, from, count);
  const mask = 2 ** width - 1;
  let held = 0;
  let bits = 0;
  for (let i = from; i < from + count; i++) {
    while (bits < width) {
      held |= bytes[at++]! << bits;
      bits += 8;
    }
    out[i] = (held & mask) + base;
    held >>>= width;
    bits -= width;
  }
}

function unpackWide(
  bytes: Uint8Array,
  at: number,
  width: number,
  base: number,
  out: { [index: number]: number },
  from: number,
  count: number,
): void {
  let bits = 0;
  for (let i = 0; i < count; i++) {
    let [value, got] = [0, 0];
    while (got < width) {
      const take = Math.min(width - got, 8 - bits);
      value += ((bytes[at]! >>> bits) & ((1 << take) - 1)) * 2 ** got;
      got += take;
      bits += take;
      if (bits === 8) {
        bits = 0;
        at++;
      }
    }
    out[from + i] = value + base;
  }
}
