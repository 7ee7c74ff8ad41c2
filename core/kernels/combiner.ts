// Passes over the codes of columns, a block of rows at a time, compiled to WebAssembly (AssemblyScript). The host
// lays out the memory. `width` and `size` are the bytes of a code that is read and of one that is written.

export { reserve } from './reserve';

@inline
function codeAt(codes: usize, width: i32, i: i32): u32 {
  return width == 1 ? <u32>load<u8>(codes + <usize>i) : width == 2 ? <u32>load<u16>(codes + (<usize>i << 1)) : load<u32>(codes + (<usize>i << 2));
}

@inline
function extended(codes: usize, width: i32, many: u32, rows: i32, places: usize): void {
  for (let i = 0; i < rows; i++) {
    const at = places + (<usize>i << 2);
    store<u32>(at, load<u32>(at) * many + codeAt(codes, width, i));
  }
}

/** The place of each row among the combinations with one column more, which has `many` codes. */
export function extend(codes: usize, width: i32, many: u32, rows: i32, places: usize): void {
  if (width == 1) extended(codes, 1, many, rows, places);
  else if (width == 2) extended(codes, 2, many, rows, places);
  else extended(codes, 4, many, rows, places);
}

/**
 * The first row of each place that was not met before, in `firsts`, and how many those are. `known` is 0 for a
 * place that was not met.
 */
export function meet(places: usize, rows: i32, known: usize, firsts: usize): i32 {
  let met = 0;
  for (let i = 0; i < rows; i++) {
    const at = known + (<usize>load<u32>(places + (<usize>i << 2)) << 2);
    if (load<u32>(at) != 0) continue;
    store<u32>(at, 1);
    store<u32>(firsts + (<usize>met << 2), i);
    met++;
  }
  return met;
}

/** Numbers the places of the firsts. */
export function number(places: usize, firsts: usize, met: i32, numbers: usize, known: usize): void {
  for (let k = 0; k < met; k++) {
    const place = load<u32>(places + (<usize>load<u32>(firsts + (<usize>k << 2)) << 2));
    store<u32>(known + (<usize>place << 2), load<u32>(numbers + (<usize>k << 2)) + 1);
  }
}

/** The number of each row in the stead of its place. */
export function look(places: usize, rows: i32, known: usize): void {
  for (let i = 0; i < rows; i++) {
    const at = places + (<usize>i << 2);
    store<u32>(at, load<u32>(known + (<usize>load<u32>(at) << 2)) - 1);
  }
}

@inline
function mapped(codes: usize, width: i32, rows: i32, table: usize, out: usize, size: i32): void {
  for (let i = 0; i < rows; i++) {
    const code = load<u32>(table + (<usize>codeAt(codes, width, i) << 2));
    if (size == 1) store<u8>(out + <usize>i, <u8>code);
    else if (size == 2) store<u16>(out + (<usize>i << 1), <u16>code);
    else store<u32>(out + (<usize>i << 2), code);
  }
}

@inline
function mappedTo(codes: usize, width: i32, rows: i32, table: usize, out: usize, size: i32): void {
  if (size == 1) mapped(codes, width, rows, table, out, 1);
  else if (size == 2) mapped(codes, width, rows, table, out, 2);
  else mapped(codes, width, rows, table, out, 4);
}

/** Each code looked up in a table. */
export function map(codes: usize, width: i32, rows: i32, table: usize, out: usize, size: i32): void {
  if (width == 1) mappedTo(codes, 1, rows, table, out, size);
  else if (width == 2) mappedTo(codes, 2, rows, table, out, size);
  else mappedTo(codes, 4, rows, table, out, size);
}

@inline
function counted(codes: usize, width: i32, rows: i32, counts: usize): void {
  for (let i = 0; i < rows; i++) {
    const at = counts + (<usize>codeAt(codes, width, i) << 2);
    store<u32>(at, load<u32>(at) + 1);
  }
}

/** Adds up rows by code. */
export function count(codes: usize, width: i32, rows: i32, counts: usize): void {
  if (width == 1) counted(codes, 1, rows, counts);
  else if (width == 2) counted(codes, 2, rows, counts);
  else counted(codes, 4, rows, counts);
}

@inline
function mixed(codes: usize, width: i32, rows: i32, places: usize): void {
  for (let i = 0; i < rows; i++) {
    const at = places + (<usize>i << 2);
    const before = load<u32>(at);
    store<u32>(at, (before ^ (before >> 15) ^ codeAt(codes, width, i)) * 0x9e3779b1);
  }
}

/** A hash of each row with one column more (Knuth, The Art of Computer Programming, vol. 3, 6.4). */
export function mix(codes: usize, width: i32, rows: i32, places: usize): void {
  if (width == 1) mixed(codes, 1, rows, places);
  else if (width == 2) mixed(codes, 2, rows, places);
  else mixed(codes, 4, rows, places);
}

/** The highest bits of each hash. */
export function narrow(places: usize, rows: i32, shift: u32): void {
  for (let i = 0; i < rows; i++) {
    const at = places + (<usize>i << 2);
    store<u32>(at, load<u32>(at) >> shift);
  }
}

/** Marks rows, a byte each, that have code 0. */
export function drop(codes: usize, width: i32, rows: i32, empty: usize): void {
  for (let i = 0; i < rows; i++) if (codeAt(codes, width, i) == 0) store<u8>(empty + <usize>i, 1);
}

/**
 * A bit for each place that is met, and one for each that is met again. How many rows the latter have so far, the
 * first of each included.
 */
export function markTwice(places: usize, empty: usize, rows: i32, met: usize, twice: usize): i32 {
  let doubts = 0;
  for (let i = 0; i < rows; i++) {
    if (load<u8>(empty + <usize>i) != 0) continue;
    const place = load<u32>(places + (<usize>i << 2));
    const word = <usize>(place >> 5) << 2;
    const bit: u32 = 1 << (place & 31);
    const known = load<u32>(met + word);
    if ((known & bit) == 0) {
      store<u32>(met + word, known | bit);
      continue;
    }
    const again = load<u32>(twice + word);
    if ((again & bit) == 0) {
      store<u32>(twice + word, again | bit);
      doubts += 2;
    } else doubts++;
  }
  return doubts;
}

/** Rows of the places that were met again. */
export function doubtful(places: usize, empty: usize, rows: i32, twice: usize, out: usize): i32 {
  let found = 0;
  for (let i = 0; i < rows; i++) {
    if (load<u8>(empty + <usize>i) != 0) continue;
    const place = load<u32>(places + (<usize>i << 2));
    if ((load<u32>(twice + (<usize>(place >> 5) << 2)) & (1 << (place & 31))) == 0) continue;
    store<u32>(out + (<usize>found << 2), i);
    found++;
  }
  return found;
}
