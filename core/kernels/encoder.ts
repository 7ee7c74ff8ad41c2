// The second half of reading, compiled to WebAssembly (AssemblyScript): cells of chunks become final codes, codes are counted and measured
// for every encoding, and packed. Addresses are bytes into the module's own memory, in which the host allocates and frees.

/** Rows in a block of the block-wise encoding. */
const BLOCK_BITS: i32 = 10;

/** Zeroed memory. */
export function allocate(bytes: usize): usize {
  const at = heap.alloc(bytes);
  memory.fill(at, 0, bytes);
  return at;
}

export function release(at: usize): void {
  heap.free(at);
}

// ---- cells to codes; `width` is the bytes of a cell ----

@inline
function cellAt(cells: usize, width: i32, i: i32): u32 {
  return width == 1 ? <u32>load<u8>(cells + <usize>i) : width == 2 ? <u32>load<u16>(cells + (<usize>i << 1)) : load<u32>(cells + (<usize>i << 2));
}

@inline
function tabled(cells: usize, width: i32, rows: i32, table: usize, out: usize): void {
  for (let i = 0; i < rows; i++) store<u32>(out + (<usize>i << 2), load<u32>(table + (<usize>cellAt(cells, width, i) << 2)));
}

/** Each cell looked up in a table of codes. */
export function byTable(cells: usize, width: i32, rows: i32, table: usize, out: usize): void {
  if (width == 1) tabled(cells, 1, rows, table, out);
  else if (width == 2) tabled(cells, 2, rows, table, out);
  else tabled(cells, 4, rows, table, out);
}

@inline
function shifted(cells: usize, width: i32, rows: i32, shift: u32, out: usize): void {
  for (let i = 0; i < rows; i++) {
    const cell = cellAt(cells, width, i);
    store<u32>(out + (<usize>i << 2), cell == 0 ? 0 : cell + shift);
  }
}

/** Each cell plus `shift`; 0 stays 0. */
export function byShift(cells: usize, width: i32, rows: i32, shift: u32, out: usize): void {
  if (width == 1) shifted(cells, 1, rows, shift, out);
  else if (width == 2) shifted(cells, 2, rows, shift, out);
  else shifted(cells, 4, rows, shift, out);
}

// ---- a set of whole numbers from 0 on, one bit each ----

@inline
function marked(cells: usize, width: i32, rows: i32, shift: u32, bits: usize): void {
  for (let i = 0; i < rows; i++) {
    const cell = cellAt(cells, width, i);
    if (cell == 0) continue;
    const member = cell + shift - 1;
    const word = bits + (<usize>(member >>> 5) << 2);
    store<u32>(word, load<u32>(word) | (1 << (member & 31)));
  }
}

/** Enters each cell plus `shift` - 1; cells of 0 are passed over. */
export function mark(cells: usize, width: i32, rows: i32, shift: u32, bits: usize): void {
  if (width == 1) marked(cells, 1, rows, shift, bits);
  else if (width == 2) marked(cells, 2, rows, shift, bits);
  else marked(cells, 4, rows, shift, bits);
}

/** Writes how many members lie before each word, and returns how many there are. */
export function rankWords(bits: usize, words: i32, before: usize): i32 {
  let count = 0;
  for (let w = 0; w < words; w++) {
    store<u32>(before + (<usize>w << 2), count);
    count += i32.popcnt(load<u32>(bits + (<usize>w << 2)));
  }
  return count;
}

/** Writes the members plus `low`, ascending, as doubles. */
export function members(bits: usize, words: i32, low: f64, out: usize): void {
  for (let w = 0; w < words; w++) {
    let word = load<u32>(bits + (<usize>w << 2));
    while (word != 0) {
      store<f64>(out, low + <f64>w * 32.0 + <f64>i32.ctz(word));
      out += 8;
      word &= word - 1;
    }
  }
}

/** Each cell's place among the members, from 1; 0 stays 0. */
export function byRank(cells: usize, width: i32, rows: i32, shift: u32, bits: usize, before: usize, out: usize): void {
  for (let i = 0; i < rows; i++) {
    const cell = cellAt(cells, width, i);
    let code: u32 = 0;
    if (cell != 0) {
      const member = cell + shift - 1;
      const word = <usize>(member >>> 5) << 2;
      code = load<u32>(before + word) + i32.popcnt(load<u32>(bits + word) & ((1 << (member & 31)) - 1)) + 1;
    }
    store<u32>(out + (<usize>i << 2), code);
  }
}

// ---- statistics of a segment ----

let last: i64 = 0;
let any: bool = false;
let lastOfColumn: i64 = -1;
/** Stretches of equal neighbours in the segment, and in the column so far. */
export let runs: i32 = 0;
export let columnRuns: i32 = 0;
export let nulls: i32 = 0;
/** Least and greatest difference of a code from the one before it in the segment. */
let least: i64 = 0;
let greatest: i64 = 0;

export function leastStep(): f64 {
  return <f64>least;
}

export function greatestStep(): f64 {
  return <f64>greatest;
}

export function startColumn(): void {
  lastOfColumn = -1;
  columnRuns = 0;
  nulls = 0;
}

/** `blocks` has the least and greatest code of each block, 4 bytes each. */
export function startSegment(blocks: usize, blockCount: i32): void {
  runs = 0;
  any = false;
  least = i64.MAX_VALUE;
  greatest = i64.MIN_VALUE;
  for (let b = 0; b < blockCount; b++) {
    store<u32>(blocks + (<usize>b << 3), u32.MAX_VALUE);
    store<u32>(blocks + (<usize>b << 3), 0, 4);
  }
}

/** Takes rows `from` to `to` of a segment into its statistics; `counts` has rows by code, or is 0. */
export function observe(codes: usize, from: i32, to: i32, blocks: usize, counts: usize): void {
  let i = from;
  while (i < to) {
    const block = i >> BLOCK_BITS;
    const end = min(to, (block + 1) << BLOCK_BITS);
    const at = blocks + (<usize>block << 3);
    let low = load<u32>(at);
    let high = load<u32>(at, 4);
    for (; i < end; i++) {
      const code = load<u32>(codes + (<usize>i << 2));
      low = min(low, code);
      high = max(high, code);
      if (code == 0) nulls++;
      const wide = <i64>code;
      if (any) {
        const step = wide - last;
        least = step < least ? step : least;
        greatest = step > greatest ? step : greatest;
        runs += <i32>(step != 0);
      } else {
        any = true;
        runs = 1;
      }
      columnRuns += <i32>(wide != lastOfColumn);
      lastOfColumn = wide;
      last = wide;
      if (counts) {
        const count = counts + (<usize>code << 2);
        store<u32>(count, load<u32>(count) + 1);
      }
    }
    store<u32>(at, low);
    store<u32>(at, high, 4);
  }
}

// ---- packing, least significant bit first ----

/** Packs `count` codes less `base` at `width` bits each; writes whole bytes, and up to 7 bytes behind them. */
export function pack(codes: usize, count: i32, base: u32, width: i32, out: usize): void {
  let held: u64 = 0;
  let bits: u64 = 0;
  for (let i = 0; i < count; i++) {
    held |= <u64>(load<u32>(codes + (<usize>i << 2)) - base) << bits;
    bits += <u64>width;
    if (bits >= 32) {
      store<u32>(out, <u32>held);
      out += 4;
      held >>= 32;
      bits -= 32;
    }
  }
  store<u64>(out, held);
}

/** As `pack`, of each code's difference from the one before it less `step`. */
export function packSteps(codes: usize, count: i32, step: f64, width: i32, out: usize): void {
  const less = <i64>step;
  let held: u64 = 0;
  let bits: u64 = 0;
  let before = <i64>load<u32>(codes);
  for (let i = 1; i < count; i++) {
    const code = <i64>load<u32>(codes + (<usize>i << 2));
    held |= <u64>(code - before - less) << bits;
    before = code;
    bits += <u64>width;
    if (bits >= 32) {
      store<u32>(out, <u32>held);
      out += 4;
      held >>= 32;
      bits -= 32;
    }
  }
  store<u64>(out, held);
}
