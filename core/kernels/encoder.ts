// The second half of reading, compiled to WebAssembly (AssemblyScript): cells of chunks become final codes,
// codes are counted and measured for every encoding, and packed. Addresses are bytes into the module's own
// memory, in which the host allocates and frees.

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
export let longestRun: i32 = 0;
let run: i32 = 0;
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
  run = 0;
  longestRun = 0;
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
        run = step == 0 ? run + 1 : 1;
      } else {
        any = true;
        runs = 1;
        run = 1;
      }
      longestRun = max(longestRun, run);
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

/**
 * Packs `count` codes less `base` at `width` bits each; writes whole bytes, and up to 7 bytes behind them.
 */
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

/** Writes each code's difference from the one before it less `step`: one less than there are codes. */
export function differences(codes: usize, count: i32, step: f64, out: usize): void {
  const less = <i64>step;
  let before = <i64>load<u32>(codes);
  for (let i = 1; i < count; i++) {
    const code = <i64>load<u32>(codes + (<usize>i << 2));
    store<u32>(out + (<usize>(i - 1) << 2), <u32>(code - before - less));
    before = code;
  }
}

/**
 * Writes the bits that stand for each code less `base`: `table` has them in the lower, their number in the
 * upper two bytes.
 */
export function packCoded(codes: usize, count: i32, base: u32, table: usize, out: usize): void {
  let held: u64 = 0;
  let bits: u64 = 0;
  for (let i = 0; i < count; i++) {
    const entry = load<u32>(table + (<usize>(load<u32>(codes + (<usize>i << 2)) - base) << 2));
    held |= <u64>(entry & 0xffff) << bits;
    bits += <u64>(entry >> 16);
    if (bits >= 32) {
      store<u32>(out, <u32>held);
      out += 4;
      held >>= 32;
      bits -= 32;
    }
  }
  store<u64>(out, held);
}

/** Counts rows by code less `base`. */
export function countCodes(codes: usize, count: i32, base: u32, out: usize): void {
  for (let i = 0; i < count; i++) {
    const at = out + (<usize>(load<u32>(codes + (<usize>i << 2)) - base) << 2);
    store<u32>(at, load<u32>(at) + 1);
  }
}

// ---- merging sorted dictionaries ----
// Several lists of texts, ascending and each without doubles, become one front-coded list. A text is never
// compared from its start: each head knows how much it shares with the text given out last, and of two heads
// the one that shares more comes first. The heads play a tournament whose nodes hold who lost there, so that
// a new head meets only the losers on its way up (Knuth, TAOCP 3, 5.4.1). Source: W. Ng and K. Kakehi,
// Merging String Sequences by Longest Common Prefixes, IPSJ Digital Courier 4 (2008).

/** One list; the host lays a window of it into memory at a time. Unmanaged memory. */
@unmanaged
class Source {
  bytes: usize = 0; // of the window's texts, one behind the other
  ends: usize = 0; // u32 each: where the window's texts end, counted from `base`
  base: u32 = 0;
  places: usize = 0; // u32 each: receives the place of each text of the window
  count: i32 = 0; // texts in the window
  at: i32 = 0; // the head
  start: usize = 0; // address of the head's text
  length: u32 = 0;
  shared: u32 = 0; // bytes that the head shares with the one that won against it last
  live: i32 = 0;
}

/** Every so many texts one is written in full. */
const FRONT_BLOCK: u32 = 16;

let sources: usize = 0;
let sourceCount: i32 = 0;
let leaves: i32 = 0; // of the tournament: a power of two
let losers: usize = 0; // by node, from 1: the list that lost there, or NOBODY
let winner: i32 = 0;
let changed: i32 = 0; // the list whose head has not played yet, or NOBODY, or EVERYBODY
let lastPlace: u32 = 0;
let lastLength: u32 = 0;
let begun: bool = false; // whether a text has been given out or passed over
let checksUtf8: bool = false;
let nullTexts: usize = 0; // a length of 4 bytes, then the bytes, each
let nullTextCount: i32 = 0;
/** Bytes that the text given out last shares with one that was passed over since. */
let carried: u32 = u32.MAX_VALUE;
/** Texts given out so far. */
export let merged: u32 = 0;
/** Where the next byte of the output goes. */
export let mergedEnd: usize = 0;

export function setMergedEnd(at: usize): void {
  mergedEnd = at;
}

/**
 * What `merge` stopped for: all done, the output is full, or a text is not UTF-8. From 0 on: that list needs
 * its next window.
 */
export const MERGED: i32 = -1;
export const OUTPUT_FULL: i32 = -2;
export const NOT_UTF8: i32 = -3;

const NOBODY: i32 = -1;
const EVERYBODY: i32 = -2;

@inline
function sourceAt(i: i32): Source {
  return changetype<Source>(sources + <usize>i * offsetof<Source>());
}

export function startMerge(count: i32, nulls: usize, nullCount: i32, utf8: bool): void {
  sources = allocate(<usize>count * offsetof<Source>());
  sourceCount = count;
  nullTexts = nulls;
  nullTextCount = nullCount;
  checksUtf8 = utf8;
  merged = 0;
  carried = u32.MAX_VALUE;
  leaves = 1;
  while (leaves < count) leaves *= 2;
  losers = allocate(<usize>leaves * 4);
  changed = EVERYBODY;
  begun = false;
}

export function endMerge(): void {
  heap.free(sources);
  heap.free(losers);
}

/**
 * Lays out the next window of a list. With `goesOn` its first text is the one before, for what the next
 * shares with it.
 */
export function window(i: i32, bytes: usize, ends: usize, base: u32, places: usize, count: i32, goesOn: bool): void {
  const source = sourceAt(i);
  source.bytes = bytes;
  source.ends = ends;
  source.base = base;
  source.places = places;
  source.count = count;
  source.at = 0;
  source.start = bytes;
  source.length = count > 0 ? load<u32>(ends) - base : 0;
  source.live = <i32>(count > 0);
  if (!goesOn) source.shared = 0;
  else advance(source);
}

/** Takes the next text as the head. */
function advance(source: Source): void {
  const before = source.start;
  const beforeLength = source.length;
  source.at++;
  if (source.at >= source.count) {
    source.live = 0;
    return;
  }
  source.start = before + beforeLength;
  source.length = load<u32>(source.ends + (<usize>source.at << 2)) - load<u32>(source.ends + (<usize>(source.at - 1) << 2));
  source.shared = commonPrefix(before, beforeLength, source.start, source.length, 0);
}

/**
 * Bytes that two texts share, of which `known` are known. Windows have 8 bytes behind them that may be read.
 */
function commonPrefix(a: usize, lengthA: u32, b: usize, lengthB: u32, known: u32): u32 {
  const most = min(lengthA, lengthB);
  let i = known;
  while (i < most) {
    const difference = load<u64>(a + i) ^ load<u64>(b + i);
    if (difference != 0) return min(most, i + <u32>(ctz(difference) >> 3));
    i += 8;
  }
  return most;
}

/**
 * Whether head b comes before head a, of which the first holds unless they differ. Who loses learns what it
 * shares with who wins.
 */
function comesBefore(b: i32, a: i32): bool {
  if (b == NOBODY || sourceAt(b).live == 0) return false;
  if (a == NOBODY || sourceAt(a).live == 0) return true;
  const own = sourceAt(a);
  const other = sourceAt(b);
  // Both share so much with the text that won against them last: who shares more is closer behind it.
  if (other.shared != own.shared) return other.shared > own.shared;
  const common = commonPrefix(own.start, own.length, other.start, other.length, own.shared);
  const before =
    common < other.length ? common < own.length && load<u8>(other.start + common) < load<u8>(own.start + common) : common < own.length;
  if (before) own.shared = common;
  else other.shared = common;
  return before;
}

/** Lets a list's new head play its way up. */
function play(list: i32): void {
  let best = list;
  for (let node = (leaves + list) >> 1; node > 0; node >>= 1) {
    const loser = load<i32>(losers + (<usize>node << 2));
    if (comesBefore(loser, best)) {
      store<i32>(losers + (<usize>node << 2), best);
      best = loser;
    }
  }
  winner = best;
}

/** Plays the tournament below a node, and returns who wins it. */
function playAll(node: i32): i32 {
  if (node >= leaves) return node - leaves < sourceCount ? node - leaves : NOBODY;
  const a = playAll(node * 2);
  const b = playAll(node * 2 + 1);
  const isB = comesBefore(b, a);
  store<i32>(losers + (<usize>node << 2), isB ? a : b);
  return isB ? b : a;
}

function isNull(start: usize, length: u32): bool {
  let at = nullTexts;
  for (let k = 0; k < nullTextCount; k++) {
    const size = load<u32>(at);
    if (size == length && memory.compare(start, at + 4, size) == 0) return true;
    at += 4 + <usize>size;
  }
  return false;
}

function writeLength(at: usize, length: u32): usize {
  while (length >= 0x80) {
    store<u8>(at++, <u8>(length | 0x80));
    length >>= 7;
  }
  store<u8>(at++, <u8>length);
  return at;
}

/** Whether bytes are UTF-8 (RFC 3629: no surrogates, nothing over-long, nothing beyond U+10FFFF). */
function isUtf8(start: usize, length: u32): bool {
  const end = start + length;
  let at = start;
  while (at < end) {
    const lead = load<u8>(at++);
    if (lead < 0x80) continue;
    let more = 0;
    let low: u8 = 0x80;
    let high: u8 = 0xbf;
    if (lead >= 0xc2 && lead <= 0xdf) more = 1;
    else if (lead >= 0xe0 && lead <= 0xef) {
      more = 2;
      if (lead == 0xe0) low = 0xa0;
      if (lead == 0xed) high = 0x9f;
    } else if (lead >= 0xf0 && lead <= 0xf4) {
      more = 3;
      if (lead == 0xf0) low = 0x90;
      if (lead == 0xf4) high = 0x8f;
    } else return false;
    for (; more > 0; more--) {
      if (at >= end) return false;
      const byte = load<u8>(at++);
      if (byte < low || byte > high) return false;
      low = 0x80;
      high = 0xbf;
    }
  }
  return true;
}

/** Goes on until something is needed; see `MERGED` and the others. */
export function merge(outEnd: usize): i32 {
  if (changed == EVERYBODY) winner = playAll(1);
  else if (changed != NOBODY) play(changed);
  changed = NOBODY;
  while (true) {
    if (winner == NOBODY) return MERGED;
    const best = winner;
    const head = sourceAt(best);
    if (head.live == 0) return MERGED;
    if (!begun || head.shared != head.length || head.length != lastLength) {
      if (mergedEnd + head.length + 10 > outEnd) return OUTPUT_FULL;
      if (checksUtf8 && !isUtf8(head.start, head.length)) return NOT_UTF8;
      lastLength = head.length;
      begun = true;
      if (isNull(head.start, head.length)) {
        carried = min(carried, head.shared);
        lastPlace = 0;
      } else {
        const shared: u32 = merged % FRONT_BLOCK == 0 ? 0 : min(carried, head.shared);
        carried = u32.MAX_VALUE;
        lastPlace = ++merged;
        let at = writeLength(mergedEnd, shared);
        at = writeLength(at, head.length - shared);
        memory.copy(at, head.start + shared, head.length - shared);
        mergedEnd = at + head.length - shared;
      }
    }
    store<u32>(head.places + (<usize>head.at << 2), lastPlace);
    advance(head);
    if (head.live == 0) {
      changed = best;
      return best;
    }
    play(best);
  }
  return MERGED; // never reached; the compiler does not see it
}

/** Whether a list's window is used up. */
export function isUsedUp(i: i32): bool {
  return sourceAt(i).live == 0;
}

/** Replaces each entry of a table by what another has at that place. */
export function compose(table: usize, count: i32, other: usize): void {
  for (let i = 0; i < count; i++) {
    const at = table + (<usize>i << 2);
    store<u32>(at, load<u32>(other + (<usize>load<u32>(at) << 2)));
  }
}
