import type { Codes } from './codes.ts';
import type { Column } from './column.ts';
import { rowLists } from './rowLists.ts';

/** Numbers of the combinations that rows have in some columns, from 0, in order of first appearance. */
export interface Combinations {
  readonly numbers: Int32Array;
  readonly size: number;
}

/**
 * Places for all pairs that could occur are kept where there are not many more of them than rows; else pairs
 * are found by sorting.
 */
const PLACES_A_ROW = 8;
const [LEAST_PLACES, MOST_PLACES] = [1 << 14, 1 << 24];

/**
 * Numbers the combinations of values that a row has in some columns; null is a value. Takes time and memory
 * by the rows, and none by the values.
 */
export function combinations(columns: readonly Column[], rowCount: number): Combinations {
  let found: Combinations = { numbers: new Int32Array(rowCount), size: Math.min(1, rowCount) };
  for (const column of columns) found = paired(found, column.codes, column.size + 1);
  return found;
}

function paired({ numbers: before, size: groups }: Combinations, codes: Codes, width: number): Combinations {
  const places = Math.min(MOST_PLACES, Math.max(LEAST_PLACES, PLACES_A_ROW * before.length));
  return groups * width <= places
    ? byPlace(before, groups, codes, width)
    : bySorting(before, groups, codes, width);
}

/** A place for each pair that could occur. */
function byPlace(before: Int32Array, groups: number, codes: Codes, width: number): Combinations {
  const places = new Int32Array(groups * width);
  const numbers = new Int32Array(before.length);
  let size = 0;
  for (let row = 0; row < before.length; row++) {
    const place = before[row]! * width + codes[row]!;
    numbers[row] = (places[place] ||= ++size) - 1;
  }
  return { numbers, size };
}

/** Rows are laid group by group; within a group a code's place says whether it has been met there. */
function bySorting(before: Int32Array, groups: number, codes: Codes, width: number): Combinations {
  const { starts, rows } = rowLists(before, groups);
  const [metIn, numberOf] = [new Int32Array(width).fill(-1), new Int32Array(width)];
  const made = new Int32Array(before.length);
  let size = 0;
  for (let group = 0; group < groups; group++) {
    for (let i = starts[group]!; i < starts[group + 1]!; i++) {
      const row = rows[i]!;
      const code = codes[row]!;
      if (metIn[code] !== group) {
        metIn[code] = group;
        numberOf[code] = size++;
      }
      made[row] = numberOf[code]!;
    }
  }
  const order = new Int32Array(size).fill(-1);
  const numbers = made;
  let seen = 0;
  for (let row = 0; row < numbers.length; row++) {
    const number = made[row]!;
    if (order[number]! < 0) order[number] = seen++;
    numbers[row] = order[number]!;
  }
  return { numbers, size };
}

/**
 * Places in the table of bits for one row: of eight, one row in seven or so is looked at twice by chance, and
 * the table stays small.
 */
const BITS_A_ROW = 8;
/** With a larger part of the rows in doubt, all are numbered instead. */
const MOST_IN_DOUBT = 1 / 4;

/**
 * Rows whose values another row has as well, ascending; rows with a null are left out. Two passes over bits,
 * a bit for each combination of codes that could occur or, where those are too many, by a hash, leave the
 * rows that may be alike, and only those are compared; where they are many, all rows are numbered.
 */
export function repeatedRows(columns: readonly Column[], rowCount: number): Uint32Array {
  const bits = Math.min(31, Math.max(10, Math.ceil(Math.log2(rowCount * BITS_A_ROW + 1))));
  if (allDiffer(columns, rowCount, bits)) return new Uint32Array(0);
  const { places, empty } = placesOf(columns, rowCount, bits);
  const [met, twice] = [new Uint32Array(2 ** (bits - 5)), new Uint32Array(2 ** (bits - 5))];
  let doubts = 0;
  for (let row = 0; row < rowCount; row++) {
    if (empty && empty[row] === 1) continue;
    const place = places[row]!;
    const word = place >>> 5;
    const bit = 1 << (place & 31);
    if ((met[word]! & bit) === 0) met[word]! |= bit;
    else if ((twice[word]! & bit) === 0) {
      twice[word]! |= bit;
      doubts += 2;
    } else doubts++;
  }
  if (doubts === 0) return new Uint32Array(0);
  if (doubts > rowCount * MOST_IN_DOUBT) return byNumbers(columns, rowCount);
  const rows = new Uint32Array(doubts);
  let at = 0;
  for (let row = 0; row < rowCount; row++) {
    const place = places[row]!;
    if ((twice[place >>> 5]! & (1 << (place & 31))) !== 0 && !(empty && empty[row] === 1)) rows[at++] = row;
  }
  return alikeAmong(rows, columns);
}

/**
 * Whether two columns without nulls tell all rows apart, in one pass that ends at the first row that is met
 * again: what most keys are. False also where their pairs are too many for a bit each.
 */
function allDiffer(columns: readonly Column[], rowCount: number, bits: number): boolean {
  const [a, b] = columns;
  if (columns.length !== 2 || a!.nulls > 0 || b!.nulls > 0) return false;
  const width = b!.size + 1;
  if ((a!.size + 1) * width > 2 ** bits) return false;
  const met = new Uint32Array(2 ** (bits - 5));
  const [first, second] = [a!.codes, b!.codes];
  for (let row = 0; row < rowCount; row++) {
    const place = first[row]! * width + second[row]!;
    const bit = 1 << (place & 31);
    if ((met[place >>> 5]! & bit) !== 0) return false;
    met[place >>> 5]! |= bit;
  }
  return true;
}

/**
 * A place of so many bits for each row, alike for equal values; `empty` is 1 where a value is null. Column by
 * column: that is what is fast.
 */
function placesOf(
  columns: readonly Column[],
  rowCount: number,
  bits: number,
): { places: Uint32Array; empty: Uint8Array | undefined } {
  const places = new Uint32Array(rowCount);
  let empty: Uint8Array | undefined;
  const widths = columns.map((column) => column.size + 1);
  const exact = widths.reduce((n, width) => n * width, 1) <= 2 ** bits;
  for (const [k, { codes, nulls }] of columns.entries()) {
    if (exact) for (let row = 0; row < rowCount; row++) places[row] = places[row]! * widths[k]! + codes[row]!;
    // Fibonacci hashing, mixed between columns (Knuth, The Art of Computer Programming, vol. 3, 6.4).
    else
      for (let row = 0; row < rowCount; row++)
        places[row] = Math.imul(places[row]! ^ (places[row]! >>> 15) ^ codes[row]!, 0x9e3779b1);
    if (nulls === 0) continue;
    empty ??= new Uint8Array(rowCount);
    for (let row = 0; row < rowCount; row++) if (codes[row] === 0) empty[row] = 1;
  }
  const shift = 32 - bits;
  if (!exact) for (let row = 0; row < rowCount; row++) places[row] = places[row]! >>> shift;
  return { places, empty };
}

/** Of some rows those that have the same codes as another of them. */
function alikeAmong(rows: Uint32Array, columns: readonly Column[]): Uint32Array {
  let found: Combinations = { numbers: new Int32Array(rows.length), size: Math.min(1, rows.length) };
  for (const column of columns) {
    const own = Uint32Array.from(rows, (row) => column.codes[row]!);
    found = paired(found, own, column.size + 1);
  }
  const counts = new Uint32Array(found.size);
  for (const number of found.numbers) counts[number]!++;
  return rows.filter((_, i) => counts[found.numbers[i]!]! > 1);
}

function byNumbers(columns: readonly Column[], rowCount: number): Uint32Array {
  const { numbers, size } = combinations(columns, rowCount);
  const counts = new Uint32Array(size);
  for (const number of numbers) counts[number]!++;
  const found: number[] = [];
  for (let row = 0; row < rowCount; row++)
    if (counts[numbers[row]!]! > 1 && columns.every((c) => c.codes[row] !== 0)) found.push(row);
  return Uint32Array.from(found);
}
