// The byte-level reader of delimited text, compiled to WebAssembly (AssemblyScript, a subset of TypeScript
// with machine types). It cuts a chunk of a file into fields, reads numbers and moments, and looks texts up
// in one dictionary per column. Addresses are bytes into the module's own memory. What it cannot read for
// certain it hands back as a "hard" cell: the host reads that one from its text, so that rare forms need no
// code here.

/** Rows that are cut and read together: their spans stay in the processor's cache. */
const BATCH: i32 = 512;
/** Bytes behind every buffer that may be read, but mean nothing. */
const PADDING: usize = 128;
/** The longest field that is taken in. */
const LARGEST_FIELD: u32 = 1 << 20;
/** Set in a span's length where the field holds doubled quotes. */
const DOUBLED: u32 = 0x80000000;
const KEPT_PROBLEMS: i32 = 1000;

export const RAGGED: i32 = 1;
export const OPEN_QUOTE: i32 = 2;
export const TEXT_AFTER_QUOTE: i32 = 3;
export const LONG_FIELD: i32 = 4;

const NUMBER: i32 = 0;
const MOMENT: i32 = 1;
const TEXT: i32 = 2;

/** One column that is read. Unmanaged memory: made once, never freed. */
@unmanaged
class Column {
  place: i32 = 0; // its field in a record
  kind: i32 = 0;
  scale: i32 = 0;
  point: i32 = 0;
  limit: f64 = 0; // numbers from this size on are hard
  padded: i32 = 0; // of the chunk: whole numbers that are written with zeros in front
  out: usize = 0; // f64 a row for numbers and moments (NaN: null), u32 a row for texts
  low: f64 = 0; // of the chunk, set by `narrow`
  high: f64 = 0;
  // Moments: bytes of the text, its shape (0 for a digit, else the byte that must stand there), and where its
  // parts stand (or -1).
  length: i32 = 0;
  shape: usize = 0;
  year: i32 = -1;
  month: i32 = -1;
  day: i32 = -1;
  hour: i32 = -1;
  minute: i32 = -1;
  second: i32 = -1;
  fraction: i32 = -1;
  digits: i32 = 0;
  inDays: i32 = 0;
  // Texts: the dictionary so far. Entry k is arena[ends[k-1]] up to arena[ends[k]].
  slots: usize = 0; // 8 bytes each: code + 1, or 0 where free; then the hash
  mask: u32 = 0;
  ends: usize = 0;
  entries: i32 = 0;
  capacity: i32 = 0;
  arena: usize = 0;
  used: u32 = 0;
  room: u32 = 0;
  bits: u64 = 0; // all bytes of the arena, laid over each other
  ascending: i32 = 0; // while every new text comes behind all before it, no slots are needed
  // The sorted dictionary, set by `sortTexts`.
  sorted: usize = 0;
  sortedEnds: usize = 0;
  rank: usize = 0;
}

let width: i32 = 0;
let delimiter: u8 = 0;
let quote: u8 = 0;
let newline: u8 = 0;
let columns: usize = 0;
let columnCount: i32 = 0;
let wanted: usize = 0; // by field: 1 where a column reads it
let spans: usize = 0; // of the batch: start and length, 4 bytes each, record by record
let buffer: usize = 0;
let bufferRoom: usize = 0;
let scratch: usize = 0; // a field without its doubled quotes
let nulls: usize = 0; // texts that stand for null: a length of 4 bytes, then the bytes
let nullCount: i32 = 0;
let nullsEnd: usize = 0;
let emptyIsNull: bool = false;

let rowRoom: i32 = 0;
let lines: usize = 0; // of the chunk's rows, u32 each
let hard: usize = 0; // column, row of the chunk, start, length: 4 bytes each
let problems: usize = 0; // start, end, line, fields (or bytes of the field that is too long), what, field: 4 bytes each

/** Rows of the chunk so far. */
export let rows: i32 = 0;
/** Where the next record starts. */
export let position: usize = 0;
/** Line ends passed since the chunk's start. */
export let line: u32 = 0;
export let hardCells: i32 = 0;
/** All records left out in the chunk, of which the first 1,000 are described. */
export let leftOut: i32 = 0;

function columnAt(i: i32): Column {
  return changetype<Column>(columns + <usize>i * offsetof<Column>());
}

export function configure(fields: i32, delimiterByte: i32, quoteByte: i32, newlineByte: i32, count: i32): void {
  width = fields;
  delimiter = <u8>delimiterByte;
  quote = <u8>quoteByte;
  newline = <u8>newlineByte;
  columnCount = count;
  columns = heap.alloc(<usize>max(count, 1) * offsetof<Column>());
  memory.fill(columns, 0, <usize>max(count, 1) * offsetof<Column>());
  wanted = heap.alloc(<usize>fields + 1);
  memory.fill(wanted, 0, <usize>fields + 1);
  spans = heap.alloc(<usize>fields * BATCH * 8);
  hard = heap.alloc(<usize>max(count, 1) * BATCH * 16);
  problems = heap.alloc(KEPT_PROBLEMS * 24);
  scratch = heap.alloc(<usize>LARGEST_FIELD + PADDING);
  nulls = heap.alloc(1 << 16);
  nullsEnd = nulls;
}

export function setColumn(i: i32, place: i32, kind: i32, scale: i32, point: i32, limit: f64): void {
  const column = columnAt(i);
  column.place = place;
  column.kind = kind;
  column.scale = scale;
  column.point = point;
  column.limit = limit;
  store<u8>(wanted + <usize>place, 1);
  if (kind == TEXT) openDictionary(column);
}

/**
 * Tells how moments of a column are written; `shape` in memory of the host's choosing stays with the module.
 */
export function setMoment(i: i32, length: i32, year: i32, month: i32, day: i32, hour: i32, minute: i32, second: i32, fraction: i32, digits: i32, inDays: i32): usize {
  const column = columnAt(i);
  column.length = length;
  column.year = year;
  column.month = month;
  column.day = day;
  column.hour = hour;
  column.minute = minute;
  column.second = second;
  column.fraction = fraction;
  column.digits = digits;
  column.inDays = inDays;
  column.shape = heap.alloc(<usize>length);
  return column.shape;
}

/**
 * Makes room for a text that stands for null and returns where to write its bytes; 0 where there is none
 * left.
 */
export function addNull(length: u32): usize {
  if (nullsEnd + length + 4 > nulls + (1 << 16)) return 0;
  const at = nullsEnd;
  store<u32>(at, length);
  nullsEnd += length + 4;
  nullCount++;
  if (length == 0) emptyIsNull = true;
  return at + 4;
}

/** The buffer for a chunk of up to `bytes` bytes; what it held before is lost where it grows. */
export function room(bytes: usize): usize {
  if (bytes > bufferRoom) {
    if (buffer) heap.free(buffer);
    buffer = heap.alloc(bytes + PADDING);
    bufferRoom = bytes;
  }
  return buffer;
}

export function startChunk(): void {
  rows = 0;
  line = 0;
  leftOut = 0;
  for (let i = 0; i < columnCount; i++) columnAt(i).padded = 0;
}

export function paddedOf(i: i32): i32 {
  return columnAt(i).padded;
}

export function linesAt(): usize {
  return lines;
}
export function hardAt(): usize {
  return hard;
}
export function problemsAt(): usize {
  return problems;
}

/** Bits of the 64 bytes at `at` that end a field or a record. */
function ends64(at: usize, d: v128, n: v128): u64 {
  const a = v128.load(at),
    b = v128.load(at, 16),
    c = v128.load(at, 32),
    e = v128.load(at, 48);
  return (
    <u64>(<u32>i8x16.bitmask(v128.or(i8x16.eq(a, d), i8x16.eq(a, n)))) |
    (<u64>(<u32>i8x16.bitmask(v128.or(i8x16.eq(b, d), i8x16.eq(b, n)))) << 16) |
    (<u64>(<u32>i8x16.bitmask(v128.or(i8x16.eq(c, d), i8x16.eq(c, n)))) << 32) |
    (<u64>(<u32>i8x16.bitmask(v128.or(i8x16.eq(e, d), i8x16.eq(e, n)))) << 48)
  );
}

function makeRowRoom(needed: i32): void {
  if (needed <= rowRoom) return;
  const larger = max(needed, rowRoom * 2);
  lines = grown(lines, <usize>rowRoom * 4, <usize>larger * 4);
  for (let i = 0; i < columnCount; i++) {
    const column = columnAt(i);
    const bytes: usize = column.kind == TEXT ? 4 : 8;
    column.out = grown(column.out, <usize>rowRoom * bytes, <usize>larger * bytes);
  }
  rowRoom = larger;
}

function grown(old: usize, bytes: usize, larger: usize): usize {
  const made = heap.alloc(larger);
  if (old) {
    memory.copy(made, old, bytes);
    heap.free(old);
  }
  return made;
}

function leaveOut(start: usize, end: usize, at: u32, fields: i32, what: i32, field: i32): void {
  if (leftOut < KEPT_PROBLEMS) {
    const problem = problems + <usize>leftOut * 24;
    store<u32>(problem, <u32>start);
    store<u32>(problem, <u32>end, 4);
    store<u32>(problem, at, 8);
    store<i32>(problem, fields, 12);
    store<i32>(problem, what, 16);
    store<i32>(problem, field, 20);
  }
  leftOut++;
}

/**
 * Cuts up to BATCH records from `from` on (RFC 4180; a quote counts only at the start of a field) and reads
 * their columns. Returns the rows taken in; `position` is then where the first record starts that is not
 * whole before `end`. With `last`, the file ends at `end`. `stop` is where no new record may start.
 */
export function take(from: usize, stop: usize, end: usize, last: bool): i32 {
  makeRowRoom(rows + BATCH);
  const d = i8x16.splat(delimiter);
  const n = i8x16.splat(newline);
  let pos = from;
  let base = pos;
  let mask = ends64(base, d, n);
  let row = 0;
  hardCells = 0;
  while (row < BATCH && pos < stop) {
    const recordStart = pos;
    let inside: u32 = 0;
    let count = 0;
    let what = 0;
    let long = -1;
    let longLength: u32 = 0;
    let out = spans + <usize>row * <usize>width * 8;
    let length: u32 = 0;
    let ended = false;
    while (!ended) {
      let start = pos;
      let doubled: u32 = 0;
      if (quote != 0 && pos < end && load<u8>(pos) == quote) {
        start = ++pos;
        for (;;) {
          while (pos < end && load<u8>(pos) != quote) {
            if (load<u8>(pos) == newline) inside++;
            pos++;
          }
          if (pos >= end) break;
          if (pos + 1 >= end) {
            if (!last) return endBatch(recordStart, row); // the next byte decides what the quote means
            break;
          }
          if (load<u8>(pos, 1) != quote) break;
          doubled = DOUBLED;
          pos += 2;
        }
        if (pos >= end) {
          if (!last) return endBatch(recordStart, row);
          what = OPEN_QUOTE;
          pos = end;
        }
        length = <u32>(pos - start);
        pos++;
        // Between the closing quote and the delimiter nothing may stand but a carriage return.
        const tail = pos;
        while (pos < end && load<u8>(pos) != delimiter && load<u8>(pos) != newline) pos++;
        if (pos >= end) {
          if (!last) return endBatch(recordStart, row);
        }
        if (pos > tail && !(pos == tail + 1 && load<u8>(tail) == 13) && what == 0) what = TEXT_AFTER_QUOTE;
        base = pos;
        mask = ends64(base, d, n);
        if (mask & 1) mask &= mask - 1;
      } else {
        while (mask == 0) {
          base += 64;
          if (base >= end) break;
          mask = ends64(base, d, n);
        }
        let at = mask == 0 ? end : base + <usize>ctz<u64>(mask);
        mask &= mask - 1;
        if (at >= end) {
          if (!last) return endBatch(recordStart, row);
          at = end;
        }
        let fieldEnd = at;
        if (newline == 10 && at > start && load<u8>(at - 1) == 13 && (at >= end || load<u8>(at) == newline)) fieldEnd--;
        length = <u32>(fieldEnd - start);
        pos = at;
      }
      if (count < width) {
        store<u32>(out, <u32>start);
        store<u32>(out, length | doubled, 4);
        out += 8;
        if (length > LARGEST_FIELD && load<u8>(wanted + <usize>count)) {
          long = count;
          longLength = length;
        }
      }
      count++;
      ended = pos >= end || load<u8>(pos) == newline;
      pos++;
    }
    const recordEnd = min(pos, end);
    const recordLine = line;
    line += inside + 1;
    if (count == 1 && length == 0 && width > 1) continue; // a blank line
    if (what == 0 && count != width) what = RAGGED;
    if (what == 0 && long >= 0) what = LONG_FIELD;
    if (what != 0) {
      leaveOut(recordStart, recordEnd, recordLine, what == LONG_FIELD ? <i32>longLength : count, what, long);
      continue;
    }
    store<u32>(lines + <usize>(rows + row) * 4, recordLine);
    row++;
  }
  return endBatch(min(pos, end), row);
}

/** Ends a batch before the record at `next`: reads its columns. */
function endBatch(next: usize, row: i32): i32 {
  position = next;
  for (let i = 0; i < columnCount; i++) {
    const column = columnAt(i);
    if (column.kind == NUMBER) numbers(column, i, row);
    else if (column.kind == MOMENT) moments(column, i, row);
    else texts(column, row);
  }
  rows += row;
  return row;
}

function isNull(start: usize, length: u32): bool {
  let at = nulls;
  for (let i = 0; i < nullCount; i++) {
    const size = load<u32>(at);
    if (size == length && sameBytes(at + 4, start, length)) return true;
    at += size + 4;
  }
  return false;
}

function sameBytes(a: usize, b: usize, length: u32): bool {
  for (let i: u32 = 0; i < length; i++) if (load<u8>(a + i) != load<u8>(b + i)) return false;
  return true;
}

function setHard(column: i32, row: i32, start: u32, length: u32): void {
  const cell = hard + <usize>hardCells * 16;
  store<i32>(cell, column);
  store<i32>(cell, row, 4);
  store<u32>(cell, start, 8);
  store<u32>(cell, length, 12);
  hardCells++;
}

/** Plain decimal notation of up to 15 digits, times 10^scale. */
function numbers(column: Column, index: i32, count: i32): void {
  const stride = <usize>width * 8;
  let span = spans + <usize>column.place * 8;
  let out = column.out + <usize>rows * 8;
  const scale = column.scale;
  const point = <u8>column.point;
  const limit = column.limit;
  const onlyEmpty = nullCount == (emptyIsNull ? 1 : 0);
  for (let r = 0; r < count; r++, span += stride, out += 8) {
    const start = <usize>load<u32>(span);
    const length = load<u32>(span, 4);
    if (length == 0 && emptyIsNull) {
      store<f64>(out, NaN);
      continue;
    }
    if (scale == 0 && length > 1 && load<u8>(start) == 48) column.padded++;
    const value = length > 20 ? NaN : scaled(start, start + <usize>length, scale, point);
    const plain = value < limit && value > -limit;
    if (plain && (onlyEmpty || !isNull(start, length))) store<f64>(out, value);
    else {
      store<f64>(out, NaN);
      setHard(index, rows + r, <u32>start, length);
    }
  }
}

function scaled(start: usize, end: usize, scale: i32, point: u8): f64 {
  let at = start;
  const first = load<u8>(at);
  if (first == 45 || first == 43) at++;
  if (at >= end || end - at > 16) return NaN;
  let value: i64 = 0;
  let digits = 0;
  while (at < end) {
    const digit = <i32>load<u8>(at) - 48;
    if (<u32>digit > 9) break;
    value = value * 10 + digit;
    digits++;
    at++;
  }
  let fraction = 0;
  if (at < end && scale > 0 && load<u8>(at) == point) {
    at++;
    while (at < end) {
      const digit = <i32>load<u8>(at) - 48;
      if (<u32>digit > 9) return NaN;
      value = value * 10 + digit;
      fraction++;
      digits++;
      at++;
    }
  }
  if (at < end || digits == 0 || fraction > scale || digits + scale - fraction > 15) return NaN;
  for (; fraction < scale; fraction++) value *= 10;
  return <f64>(first == 45 ? -value : value);
}

/** Days or moments of one fixed layout. */
function moments(column: Column, index: i32, count: i32): void {
  const stride = <usize>width * 8;
  let span = spans + <usize>column.place * 8;
  let out = column.out + <usize>rows * 8;
  const length = <u32>column.length;
  const onlyEmpty = nullCount == (emptyIsNull ? 1 : 0);
  let before: usize = 0; // the last row's text, where it was read
  for (let r = 0; r < count; r++, span += stride, out += 8) {
    const start = <usize>load<u32>(span);
    const bytes = load<u32>(span, 4);
    let value = NaN;
    if (bytes == length) {
      if (before && sameText(before, start, length)) {
        store<f64>(out, load<f64>(out - 8));
        continue;
      }
      value = moment(column, start);
    }
    else if (bytes == 0 && emptyIsNull) {
      store<f64>(out, NaN);
      before = 0;
      continue;
    }
    store<f64>(out, value);
    before = start;
    if (isNaN(value) || (!onlyEmpty && isNull(start, bytes))) {
      store<f64>(out, NaN);
      setHard(index, rows + r, <u32>start, bytes);
      before = 0;
    }
  }
}

function two(at: usize): i32 {
  return (<i32>load<u8>(at) - 48) * 10 + (<i32>load<u8>(at, 1) - 48);
}

function moment(column: Column, start: usize): f64 {
  const shape = column.shape;
  for (let i: i32 = 0; i < column.length; i++) {
    const wantedByte = load<u8>(shape + <usize>i);
    const byte = load<u8>(start + <usize>i);
    if (wantedByte == 0 ? <u32>(<i32>byte - 48) > 9 : byte != wantedByte) return NaN;
  }
  const year = two(start + <usize>column.year) * 100 + two(start + <usize>column.year + 2);
  const month = two(start + <usize>column.month);
  const day = two(start + <usize>column.day);
  if (year < 1 || month < 1 || month > 12 || day < 1) return NaN;
  const leap = (year % 4 == 0 && year % 100 != 0) || year % 400 == 0;
  const most = month == 2 ? (leap ? 29 : 28) : month == 4 || month == 6 || month == 9 || month == 11 ? 30 : 31;
  if (day > most) return NaN;
  // Days from the civil date (H. Hinnant, "chrono-compatible low-level date algorithms"); the year begins in
  // March.
  const y = month <= 2 ? year - 1 : year;
  const era = y / 400;
  const ofEra = y - era * 400;
  const ofYear = (153 * (month > 2 ? month - 3 : month + 9) + 2) / 5 + day - 1;
  const days = era * 146097 + ofEra * 365 + ofEra / 4 - ofEra / 100 + ofYear - 719468;
  if (column.inDays) return <f64>days;
  const hour = column.hour < 0 ? 0 : two(start + <usize>column.hour);
  const minute = column.minute < 0 ? 0 : two(start + <usize>column.minute);
  const second = column.second < 0 ? 0 : two(start + <usize>column.second);
  if (hour > 23 || minute > 59 || second > 59) return NaN;
  let micros = 0;
  if (column.fraction >= 0) {
    const at = start + <usize>column.fraction;
    for (let i = 0; i < column.digits; i++) micros = micros * 10 + (<i32>load<u8>(at + <usize>i) - 48);
    for (let i = column.digits; i < 6; i++) micros *= 10;
  }
  return <f64>days * 86_400_000_000 + <f64>((hour * 60 + minute) * 60 + second) * 1_000_000 + <f64>micros;
}

/** Puts what the host read of a hard cell. */
export function put(column: i32, row: i32, value: f64): void {
  store<f64>(columnAt(column).out + <usize>row * 8, value);
}

// ---- texts ----

function openDictionary(column: Column): void {
  column.capacity = 1 << 10;
  column.room = 1 << 14;
  column.mask = 0;
  column.slots = 0;
  column.ascending = 1;
  column.ends = heap.alloc(<usize>column.capacity * 4);
  column.arena = heap.alloc(<usize>column.room + PADDING);
  column.entries = 0;
  column.used = 0;
  column.bits = 0;
}

/** Empties a column's dictionary, so that its codes begin anew. */
export function resetTexts(i: i32): void {
  const column = columnAt(i);
  if (column.slots) heap.free(column.slots);
  heap.free(column.ends);
  heap.free(column.arena);
  freeSorted(column);
  openDictionary(column);
}

export function entriesOf(i: i32): i32 {
  return columnAt(i).entries;
}
export function bytesOf(i: i32): u32 {
  return columnAt(i).used;
}

/** Whether all texts of a column are plain ASCII. */
export function isAscii(i: i32): bool {
  return (columnAt(i).bits & 0x8080808080808080) == 0;
}

/**
 * Copies a text word by word (up to seven bytes beyond it are overwritten) and returns its words laid over
 * each other.
 */
function copyText(to: usize, from: usize, length: u32): u64 {
  let bits: u64 = 0;
  let rest = length;
  for (; rest >= 8; rest -= 8, to += 8, from += 8) {
    const word = load<u64>(from);
    store<u64>(to, word);
    bits |= word;
  }
  if (rest > 0) {
    store<u64>(to, load<u64>(from));
    bits |= tailWord(from, rest);
  }
  return bits;
}

const HASHES: usize = memory.data(BATCH * 4);
/** Slots that do not lie in the processor's cache anyway. */
const WIDE_MASK: u32 = 1 << 16;
let touched: u32 = 0;

/**
 * Hashes all texts of the batch and loads their slots, none of which waits for another: where the slots lie
 * in memory and not in a cache, that is several times as quick as to look one text up after the other.
 */
function touchSlots(column: Column, count: i32): void {
  const stride = <usize>width * 8;
  let span = spans + <usize>column.place * 8;
  for (let r = 0; r < count; r++, span += stride)
    store<u32>(HASHES + (<usize>r << 2), hashOf(<usize>load<u32>(span), load<u32>(span, 4) & ~DOUBLED));
  let sum: u32 = 0;
  for (let r = 0; r < count; r++) sum += load<u32>(column.slots + (<usize>(load<u32>(HASHES + (<usize>r << 2)) & column.mask) << 3));
  touched = sum; // so that the loads are not left out
}

function texts(column: Column, count: i32): void {
  const stride = <usize>width * 8;
  let span = spans + <usize>column.place * 8;
  let out = column.out + <usize>rows * 4;
  const wide = !column.ascending && column.mask > WIDE_MASK;
  if (wide) touchSlots(column, count);
  // The last row's text: neighbours are often alike.
  let before: usize = 0;
  let beforeLength: u32 = DOUBLED;
  for (let r = 0; r < count; r++, span += stride, out += 4) {
    let start = <usize>load<u32>(span);
    let length = load<u32>(span, 4);
    if (length == beforeLength && sameText(before, start, length)) {
      store<u32>(out, load<u32>(out - 4));
      continue;
    }
    before = start;
    beforeLength = length;
    if (length & DOUBLED) {
      length = withoutDoubled(start, length & ~DOUBLED);
      start = scratch;
      beforeLength = DOUBLED; // no length: the next row is looked up
    }
    store<u32>(out, <u32>(wide && !(beforeLength & DOUBLED) ? lookUp(column, start, length, load<u32>(HASHES + (<usize>r << 2))) : codeOf(column, start, length)));
  }
}

function withoutDoubled(start: usize, length: u32): u32 {
  let size: u32 = 0;
  for (let i: u32 = 0; i < length; i++) {
    const byte = load<u8>(start + i);
    store<u8>(scratch + size++, byte);
    if (byte == quote) i++;
  }
  return size;
}

const MIX: u64 = 0x9e3779b97f4a7c15; // the golden ratio in 64 bits

/** The last bytes of a text as a word; `rest` is 1 to 7. */
function tailWord(at: usize, rest: u32): u64 {
  return load<u64>(at) << ((8 - rest) << 3);
}

function hashOf(start: usize, length: u32): u32 {
  let hash: u64 = <u64>length * MIX;
  let at = start;
  let rest = length;
  for (; rest >= 8; rest -= 8, at += 8) {
    hash = (hash ^ load<u64>(at)) * MIX;
    hash ^= hash >> 32;
  }
  if (rest > 0) {
    hash = (hash ^ tailWord(at, rest)) * MIX;
    hash ^= hash >> 32;
  }
  hash *= MIX;
  return <u32>(hash >> 32);
}

function sameText(a: usize, b: usize, length: u32): bool {
  let rest = length;
  for (; rest >= 8; rest -= 8, a += 8, b += 8) if (load<u64>(a) != load<u64>(b)) return false;
  return rest == 0 || tailWord(a, rest) == tailWord(b, rest);
}

function codeOf(column: Column, start: usize, length: u32): i32 {
  if (column.ascending) {
    // Numbers of receipts and moments mostly come in their order: then a text is the last one, or new.
    const last = column.entries - 1;
    if (last < 0) return append(column, start, length);
    const from = startOf(column, last);
    const order = compareTexts(column.arena + from, column.used - from, start, length);
    if (order == 0) return last;
    if (order < 0) return append(column, start, length);
    hashAll(column);
  }
  return lookUp(column, start, length, hashOf(start, length));
}

/** Below, at or above zero as text a comes before, is, or comes behind text b. */
function compareTexts(a: usize, lengthA: u32, b: usize, lengthB: u32): i32 {
  const shorter = min(lengthA, lengthB);
  let i: u32 = 0;
  for (; i + 8 <= shorter; i += 8) {
    const x = load<u64>(a + i);
    const y = load<u64>(b + i);
    if (x != y) return bswap<u64>(x) < bswap<u64>(y) ? -1 : 1;
  }
  for (; i < shorter; i++) {
    const x = load<u8>(a + i);
    const y = load<u8>(b + i);
    if (x != y) return x < y ? -1 : 1;
  }
  return lengthA == lengthB ? 0 : lengthA < lengthB ? -1 : 1;
}

/** Leaves the order of appearance: enters all texts so far into slots. */
function hashAll(column: Column): void {
  column.ascending = 0;
  let size: u32 = 1 << 11;
  while (size < <u32>column.entries * 4) size *= 2;
  column.mask = size - 1;
  column.slots = heap.alloc(<usize>size * 8);
  memory.fill(column.slots, 0, <usize>size * 8);
  for (let code = 0; code < column.entries; code++) {
    const from = startOf(column, code);
    const hash = hashOf(column.arena + from, load<u32>(column.ends + (<usize>code << 2)) - from);
    let slot = hash & column.mask;
    while (load<u32>(column.slots + (<usize>slot << 3)) != 0) slot = (slot + 1) & column.mask;
    store<i32>(column.slots + (<usize>slot << 3), code + 1);
    store<u32>(column.slots + (<usize>slot << 3), hash, 4);
  }
}

/** Open addressing with linear probing, at most half full. */
function lookUp(column: Column, start: usize, length: u32, hash: u32): i32 {
  let slot = hash & column.mask;
  let at = column.slots + (<usize>slot << 3);
  let held = load<i32>(at);
  while (held != 0) {
    if (load<u32>(at, 4) == hash) {
      const code = held - 1;
      const from = startOf(column, code);
      if (load<u32>(column.ends + (<usize>code << 2)) - from == length && sameText(column.arena + from, start, length)) return code;
    }
    slot = (slot + 1) & column.mask;
    at = column.slots + (<usize>slot << 3);
    held = load<i32>(at);
  }
  const code = append(column, start, length);
  store<i32>(at, code + 1);
  store<u32>(at, hash, 4);
  if (<u32>column.entries * 2 > column.mask) rehash(column);
  return code;
}

function append(column: Column, start: usize, length: u32): i32 {
  const code = column.entries++;
  if (code == column.capacity) {
    const bytes = <usize>code * 4;
    column.ends = grown(column.ends, bytes, bytes * 2);
    column.capacity = code * 2;
  }
  if (column.used + length > column.room) {
    const larger = max(column.room * 2, column.used + length);
    column.arena = grown(column.arena, <usize>column.used, <usize>larger + PADDING);
    column.room = larger;
  }
  column.bits |= copyText(column.arena + column.used, start, length);
  column.used += length;
  store<u32>(column.ends + (<usize>code << 2), column.used);
  return code;
}

function rehash(column: Column): void {
  const old = column.slots;
  const oldSize = <usize>column.mask + 1;
  const size = oldSize * 4;
  column.slots = heap.alloc(size * 8);
  memory.fill(column.slots, 0, size * 8);
  column.mask = <u32>size - 1;
  for (let i: usize = 0; i < oldSize; i++) {
    const entry = load<u64>(old + (i << 3));
    if (<u32>entry == 0) continue;
    let slot = <u32>(entry >> 32) & column.mask;
    while (load<u32>(column.slots + (<usize>slot << 3)) != 0) slot = (slot + 1) & column.mask;
    store<u64>(column.slots + (<usize>slot << 3), entry);
  }
  heap.free(old);
}

// ---- the end of a chunk ----

/**
 * Brings a column's rows of the chunk to the narrowest width, in place. Texts: codes of 1, 2 or 4 bytes.
 * Numbers: 0 for null, else the value less `low` plus 1, in 1, 2 or 4 bytes; 8 where they span more, left as
 * doubles with NaN for null; 0 where all are null.
 */
export function narrow(i: i32): i32 {
  const column = columnAt(i);
  const out = column.out;
  if (column.kind == TEXT) {
    const bytes = column.entries <= 0x100 ? 1 : column.entries <= 0x10000 ? 2 : 4;
    if (bytes == 1) for (let r = 0; r < rows; r++) store<u8>(out + <usize>r, <u8>load<u32>(out + ((<usize>r) << 2)));
    if (bytes == 2) for (let r = 0; r < rows; r++) store<u16>(out + ((<usize>r) << 1), <u16>load<u32>(out + ((<usize>r) << 2)));
    return bytes;
  }
  // Two rows at a time; what pmin and pmax compare with NaN stays as it was.
  const pairs = out + ((<usize>rows & ~1) << 3);
  let lows = f64x2.splat(Infinity);
  let highs = f64x2.splat(-Infinity);
  for (let at = out; at < pairs; at += 16) {
    const values = v128.load(at);
    lows = f64x2.pmin(lows, values);
    highs = f64x2.pmax(highs, values);
  }
  let low = min(f64x2.extract_lane(lows, 0), f64x2.extract_lane(lows, 1));
  let high = max(f64x2.extract_lane(highs, 0), f64x2.extract_lane(highs, 1));
  if (rows & 1) {
    const value = load<f64>(pairs);
    if (value < low) low = value;
    if (value > high) high = value;
  }
  column.low = low;
  column.high = high;
  if (low > high) return 0;
  const span = high - low + 1;
  if (span > 4_294_967_000) return 8;
  const bytes = span < 256 ? 1 : span < 65536 ? 2 : 4;
  // The row behind the last one of an odd number is room of its own: rows are made room for by the batch.
  const shift = f64x2.splat(1 - low);
  if (bytes == 1) for (let r = 0; r < rows; r += 2) store<u16>(out + <usize>r, <u16>pairOfCodes<u8>(out, r, shift));
  else if (bytes == 2) for (let r = 0; r < rows; r += 2) store<u32>(out + (<usize>r << 1), <u32>pairOfCodes<u16>(out, r, shift));
  else for (let r = 0; r < rows; r += 2) store<u64>(out + (<usize>r << 2), pairOfCodes<u32>(out, r, shift));
  return bytes;
}

/** The codes of rows r and r + 1, one behind the other in so many bits; the conversion makes NaN 0. */
function pairOfCodes<T>(out: usize, r: i32, shift: v128): u64 {
  const codes = i32x4.trunc_sat_f64x2_u_zero(f64x2.add(v128.load(out + (<usize>r << 3)), shift));
  const both = i64x2.extract_lane(codes, 0);
  return sizeof<T>() == 4 ? both : (both & 0xffffffff) | ((both >>> 32) << (sizeof<T>() << 3));
}

export function outOf(i: i32): usize {
  return columnAt(i).out;
}
export function lowOf(i: i32): f64 {
  return columnAt(i).low;
}
export function highOf(i: i32): f64 {
  return columnAt(i).high;
}

// ---- sorted dictionaries ----

/** Stretches up to this size are sorted by insertion. */
const SMALL: i32 = 24;

let keys: usize = 0; // big-endian words of 8 bytes at the current depth
let keysOther: usize = 0;
let order: usize = 0;
let orderOther: usize = 0;

function startOf(column: Column, code: i32): u32 {
  return code == 0 ? 0 : load<u32>(column.ends + (<usize>(code - 1) << 2));
}

/** Eight bytes of a text from `depth` on, zero beyond its end. */
function keyOf(column: Column, code: u32, depth: u32): u64 {
  const start = startOf(column, code) + depth;
  const end = load<u32>(column.ends + (<usize>code << 2));
  if (start >= end) return 0;
  const word = bswap<u64>(load<u64>(column.arena + start));
  const rest = end - start;
  return rest >= 8 ? word : word & ~((<u64>0xffffffffffffffff) >> (rest << 3));
}

function isBefore(column: Column, a: u32, b: u32, depth: u32): bool {
  let i = startOf(column, a) + depth;
  let j = startOf(column, b) + depth;
  const endA = load<u32>(column.ends + (<usize>a << 2));
  const endB = load<u32>(column.ends + (<usize>b << 2));
  while (i < endA && j < endB) {
    const x = load<u8>(column.arena + i++);
    const y = load<u8>(column.arena + j++);
    if (x != y) return x < y;
  }
  return i >= endA && j < endB;
}

function codeIn(place: i32): u32 {
  return load<u32>(order + (<usize>place << 2));
}

function insertionSort(column: Column, from: i32, to: i32, depth: u32): void {
  for (let i = from + 1; i < to; i++) {
    const code = codeIn(i);
    let j = i - 1;
    while (j >= from && isBefore(column, code, codeIn(j), depth)) {
      store<u32>(order + (<usize>(j + 1) << 2), codeIn(j));
      j--;
    }
    store<u32>(order + (<usize>(j + 1) << 2), code);
  }
}

/**
 * Least-significant-digit radix sort of the keys of a stretch, skipping bytes in which they do not differ.
 */
function radixSort(from: i32, to: i32): void {
  const counts = memory.data(2048);
  let differ: u64 = 0;
  const first = load<u64>(keys + (<usize>from << 3));
  for (let i = from + 1; i < to; i++) differ |= first ^ load<u64>(keys + (<usize>i << 3));
  for (let shift: u64 = 0; shift < 64; shift += 8) {
    if (((differ >> shift) & 0xff) == 0) continue;
    memory.fill(counts, 0, 2048);
    for (let i = from; i < to; i++) {
      const digit = <usize>((load<u64>(keys + (<usize>i << 3)) >> shift) & 0xff);
      store<u32>(counts + (digit << 2), load<u32>(counts + (digit << 2)) + 1);
    }
    let sum = <u32>from;
    for (let digit: usize = 0; digit < 256; digit++) {
      const count = load<u32>(counts + (digit << 2));
      store<u32>(counts + (digit << 2), sum);
      sum += count;
    }
    for (let i = from; i < to; i++) {
      const key = load<u64>(keys + (<usize>i << 3));
      const digit = <usize>((key >> shift) & 0xff);
      const place = <usize>load<u32>(counts + (digit << 2));
      store<u32>(counts + (digit << 2), <u32>place + 1);
      store<u64>(keysOther + (place << 3), key);
      store<u32>(orderOther + (place << 2), codeIn(i));
    }
    memory.copy(keys + (<usize>from << 3), keysOther + (<usize>from << 3), <usize>(to - from) << 3);
    memory.copy(order + (<usize>from << 2), orderOther + (<usize>from << 2), <usize>(to - from) << 2);
  }
}

/** Texts up to this length may be sorted by the bits in which they differ: five words. */
const SHORT_TEXT: u32 = 40;
const DIGIT_BITS: u32 = 11;
/** Neighbouring bits that a key takes from a word: word, shift, width, 4 bytes each; at most one per bit. */
const PARTS: usize = memory.data(64 * 12);
const MASKS: usize = memory.data(5 * 8);
const DIGITS: usize = memory.data(2048 * 4);

/**
 * Sorts short texts by one key of 64 bits made of only those bits in which any two of them differ: moments
 * and numbers differ in few bits of a byte. Gives false where that takes more bits. The order is that of the
 * bytes, for bits that are the same in all texts decide nothing.
 */
function sortByBits(column: Column): bool {
  const size = column.entries;
  let longest: u32 = 0;
  for (let code = 0; code < size; code++) longest = max(longest, lengthOf(column, code));
  if (longest > SHORT_TEXT) return false;
  const words = <i32>((longest + 7) >> 3);
  memory.fill(MASKS, 0, 40);
  for (let code = 1; code < size; code++) {
    for (let w = 0; w < words; w++) {
      const mask = MASKS + (<usize>w << 3);
      const depth = <u32>w << 3;
      store<u64>(mask, load<u64>(mask) | (keyOf(column, code, depth) ^ keyOf(column, 0, depth)));
    }
  }
  let bits: u32 = 0;
  let parts: usize = PARTS;
  for (let w = 0; w < words; w++) {
    let mask = load<u64>(MASKS + (<usize>w << 3));
    bits += <u32>popcnt<u64>(mask);
    if (bits > 64) return false;
    let top: u32 = 64;
    while (mask != 0) {
      const zeros = <u32>clz<u64>(mask);
      mask <<= zeros;
      top -= zeros;
      const ones = <u32>clz<u64>(~mask);
      top -= ones;
      store<u32>(parts, <u32>w);
      store<u32>(parts, top, 4);
      store<u32>(parts, ones, 8);
      parts += 12;
      mask = ones == 64 ? 0 : mask << ones;
    }
  }
  for (let code = 0; code < size; code++) {
    let key: u64 = 0;
    let word: u64 = 0;
    let depth: u32 = 0xffffffff;
    for (let part = PARTS; part < parts; part += 12) {
      const w = load<u32>(part);
      if (w != depth) {
        depth = w;
        word = keyOf(column, code, w << 3);
      }
      const ones = load<u32>(part, 8);
      if (ones == 64) key = word;
      else key = (key << ones) | ((word >> load<u32>(part, 4)) & (((<u64>1) << ones) - 1));
    }
    store<u64>(keys + (<usize>code << 3), key);
  }
  for (let shift: u32 = 0; shift < bits; shift += DIGIT_BITS) sortByDigit(size, shift);
  // Texts of one key differ in zero bytes at their end only.
  for (let p = 0; p < size;) {
    const key = load<u64>(keys + (<usize>p << 3));
    let q = p + 1;
    while (q < size && load<u64>(keys + (<usize>q << 3)) == key) q++;
    if (q - p > 1) insertionSort(column, p, q, 0);
    p = q;
  }
  return true;
}

/** One pass of a radix sort of all keys, from one pair of arrays to the other, which change names. */
function sortByDigit(size: i32, shift: u32): void {
  const most: u64 = (1 << DIGIT_BITS) - 1;
  memory.fill(DIGITS, 0, 2048 * 4);
  for (let i = 0; i < size; i++) {
    const digit = DIGITS + (<usize>((load<u64>(keys + (<usize>i << 3)) >> shift) & most) << 2);
    store<u32>(digit, load<u32>(digit) + 1);
  }
  let sum: u32 = 0;
  for (let digit = DIGITS; digit < DIGITS + 2048 * 4; digit += 4) {
    const count = load<u32>(digit);
    store<u32>(digit, sum);
    sum += count;
  }
  for (let i = 0; i < size; i++) {
    const key = load<u64>(keys + (<usize>i << 3));
    const digit = DIGITS + (<usize>((key >> shift) & most) << 2);
    const place = <usize>load<u32>(digit);
    store<u32>(digit, <u32>place + 1);
    store<u64>(keysOther + (place << 3), key);
    store<u32>(orderOther + (place << 2), codeIn(i));
  }
  const oldKeys = keys;
  const oldOrder = order;
  keys = keysOther;
  order = orderOther;
  keysOther = oldKeys;
  orderOther = oldOrder;
}

function freeSorted(column: Column): void {
  if (column.sorted) heap.free(column.sorted);
  if (column.sortedEnds) heap.free(column.sortedEnds);
  if (column.rank) heap.free(column.rank);
  column.sorted = 0;
  column.sortedEnds = 0;
  column.rank = 0;
}

/**
 * Sorts a column's texts by their bytes, which for UTF-8 is the order of code points: eight bytes at a time
 * by radix, then the stretches that are still equal; short ones that differ in few bits by those alone.
 * Afterwards `sortedAt` has the texts one behind the other, `sortedEndsAt` their ends, `rankAt` the place of
 * each code.
 */
export function sortTexts(i: i32): void {
  const column = columnAt(i);
  const size = column.entries;
  freeSorted(column);
  keys = heap.alloc(<usize>size * 8 + 8);
  keysOther = heap.alloc(<usize>size * 8 + 8);
  order = heap.alloc(<usize>size * 4 + 4);
  orderOther = heap.alloc(<usize>size * 4 + 4);
  for (let code = 0; code < size; code++) store<u32>(order + (<usize>code << 2), code);
  let stackRoom: i32 = 1 << 12;
  let stack = heap.alloc(<usize>stackRoom * 12);
  store<i32>(stack, 0);
  store<i32>(stack, size, 4);
  store<u32>(stack, 0, 8);
  let top = column.ascending || (size > SMALL && sortByBits(column)) ? 0 : 1;
  while (top > 0) {
    top--;
    const from = load<i32>(stack + <usize>top * 12);
    const to = load<i32>(stack + <usize>top * 12, 4);
    const depth = load<u32>(stack + <usize>top * 12, 8);
    if (to - from <= SMALL) {
      insertionSort(column, from, to, depth);
      continue;
    }
    for (let p = from; p < to; p++) store<u64>(keys + (<usize>p << 3), keyOf(column, codeIn(p), depth));
    radixSort(from, to);
    let p = from;
    while (p < to) {
      const key = load<u64>(keys + (<usize>p << 3));
      let q = p + 1;
      while (q < to && load<u64>(keys + (<usize>q << 3)) == key) q++;
      if (q - p > 1) {
        if (top == stackRoom) {
          stack = grown(stack, <usize>stackRoom * 12, <usize>stackRoom * 24);
          stackRoom *= 2;
        }
        // Texts that end within these bytes and are equal so far differ in zero bytes at their end only:
        // there are few.
        const longer = splitEnded(column, p, q, depth);
        if (longer < q) {
          const task = stack + <usize>top * 12;
          store<i32>(task, longer);
          store<i32>(task, q, 4);
          store<u32>(task, depth + 8, 8);
          top++;
        }
      }
      p = q;
    }
  }
  heap.free(stack);
  heap.free(keys);
  heap.free(keysOther);
  heap.free(orderOther);
  column.sorted = heap.alloc(<usize>column.used + PADDING);
  column.sortedEnds = heap.alloc(<usize>size * 4 + 4);
  column.rank = heap.alloc(<usize>size * 4 + 4);
  let at: u32 = 0;
  for (let p = 0; p < size; p++) {
    const code = codeIn(p);
    const start = startOf(column, code);
    const length = load<u32>(column.ends + (<usize>code << 2)) - start;
    copyText(column.sorted + at, column.arena + start, length);
    at += length;
    store<u32>(column.sortedEnds + (<usize>p << 2), at);
    store<u32>(column.rank + (<usize>code << 2), <u32>p);
  }
  heap.free(order);
}

function lengthOf(column: Column, code: u32): u32 {
  return load<u32>(column.ends + (<usize>code << 2)) - startOf(column, code);
}

/**
 * Brings the texts of a stretch that end within the next eight bytes before the longer ones, whose beginnings
 * they are, and sorts them. Returns where the longer ones begin.
 */
function splitEnded(column: Column, from: i32, to: i32, depth: u32): i32 {
  let kept = from;
  for (let p = from; p < to; p++) {
    const code = codeIn(p);
    if (lengthOf(column, code) <= depth + 8) {
      store<u32>(order + (<usize>p << 2), codeIn(kept));
      store<u32>(order + (<usize>kept << 2), code);
      kept++;
    }
  }
  insertionSort(column, from, kept, depth);
  return kept;
}

export function sortedAt(i: i32): usize {
  return columnAt(i).sorted;
}
export function sortedEndsAt(i: i32): usize {
  return columnAt(i).sortedEnds;
}
export function rankAt(i: i32): usize {
  return columnAt(i).rank;
}
