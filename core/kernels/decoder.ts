// Encoded segments back to codes, compiled to WebAssembly (AssemblyScript). The host lays out the memory; it
// leaves eight bytes behind what is read, since words are read whole. `size` is the bytes of a code that is
// written: 1, 2 or 4.

export { reserve } from './reserve';

@inline
function put(out: usize, size: i32, i: i32, code: u32): void {
  if (size == 1) store<u8>(out + <usize>i, <u8>code);
  else if (size == 2) store<u16>(out + (<usize>i << 1), <u16>code);
  else store<u32>(out + (<usize>i << 2), code);
}

/** `count` values of `width` bits (0 to 32), least significant bit first, plus `base`. */
@inline
function unpacked(at: usize, width: i32, base: u32, count: i32, out: usize, size: i32): void {
  const mask: u64 = (1 << <u64>width) - 1;
  let bit: usize = 0;
  for (let i = 0; i < count; i++) {
    put(out, size, i, <u32>((load<u64>(at + (bit >> 3)) >> <u64>(bit & 7)) & mask) + base);
    bit += <usize>width;
  }
}

export function unpack(at: usize, width: i32, base: u32, count: i32, out: usize, size: i32): void {
  if (size == 1) unpacked(at, width, base, count, out, 1);
  else if (size == 2) unpacked(at, width, base, count, out, 2);
  else unpacked(at, width, base, count, out, 4);
}

/** Blocks of `rows` codes: the least of each (4 bytes), its width (1), then its offsets from the least. */
export function unpackBlocks(at: usize, rows: i32, count: i32, out: usize, size: i32): void {
  for (let done = 0; done < count; done += rows) {
    const now = min(rows, count - done);
    const width = <i32>load<u8>(at + 4);
    unpack(at + 5, width, load<u32>(at), now, out + <usize>(done * size), size);
    at += 5 + ((<usize>now * <usize>width + 7) >> 3);
  }
}

@inline
function summed(steps: usize, first: u32, least: u32, count: i32, out: usize, size: i32): void {
  let code = first;
  put(out, size, 0, code);
  for (let i = 1; i < count; i++) {
    // Wraps: a difference below 0 is added as what it is modulo 2^32.
    code += load<u32>(steps + (<usize>(i - 1) << 2)) + least;
    put(out, size, i, code);
  }
}

/** A first code, then `count` - 1 differences, each less the least one. */
export function sum(steps: usize, first: u32, least: u32, count: i32, out: usize, size: i32): void {
  if (size == 1) summed(steps, first, least, count, out, 1);
  else if (size == 2) summed(steps, first, least, count, out, 2);
  else summed(steps, first, least, count, out, 4);
}

@inline
function filled(codes: usize, lengths: usize, runs: i32, out: usize, size: i32): void {
  let at = 0;
  for (let run = 0; run < runs; run++) {
    const code = load<u32>(codes + (<usize>run << 2));
    const end = at + load<i32>(lengths + (<usize>run << 2));
    for (; at < end; at++) put(out, size, at, code);
  }
}

/** Stretches of equal codes. */
export function fill(codes: usize, lengths: usize, runs: i32, out: usize, size: i32): void {
  if (size == 1) filled(codes, lengths, runs, out, 1);
  else if (size == 2) filled(codes, lengths, runs, out, 2);
  else filled(codes, lengths, runs, out, 4);
}

@inline
function coded(at: usize, table: usize, longest: i32, base: u32, count: i32, out: usize, size: i32): void {
  const mask: u64 = (1 << <u64>longest) - 1;
  let bit: usize = 0;
  let i = 0;
  // A word has at least 57 bits from any bit of its first byte on: three codes of up to 15 bits.
  while (i < count) {
    let word = load<u64>(at + (bit >> 3)) >> <u64>(bit & 7);
    const end = min(count, i + 3);
    for (; i < end; i++) {
      const entry = load<u32>(table + ((<usize>(word & mask)) << 2));
      put(out, size, i, (entry >> 4) + base);
      word >>= <u64>(entry & 15);
      bit += <usize>(entry & 15);
    }
  }
}

/**
 * Codes of up to 15 bits each. The table has, by what the next `longest` bits are, the symbol and in its lowest
 * four bits how many of them are its code.
 */
export function decode(at: usize, table: usize, longest: i32, base: u32, count: i32, out: usize, size: i32): void {
  if (size == 1) coded(at, table, longest, base, count, out, 1);
  else if (size == 2) coded(at, table, longest, base, count, out, 2);
  else coded(at, table, longest, base, count, out, 4);
}
