import type { Codes } from './codes.ts';
import type { Column } from './column.ts';
import { doubtfulRows } from './combiner.ts';
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
 * Whether all rows of one value of another column have the same value in this one; null is a value. Ends at
 * the first row that does not, which is most often one of the first.
 */
export function isDetermined({ codes }: Column, { codes: given, size }: Column): boolean {
  const valueOf = new Int32Array(size + 1).fill(-1);
  for (let row = 0; row < codes.length; row++) {
    const at = given[row]!;
    if (valueOf[at] === -1) valueOf[at] = codes[row]!;
    else if (valueOf[at] !== codes[row]) return false;
  }
  return true;
}

/** With a larger part of the rows in doubt, all are numbered instead. */
const MOST_IN_DOUBT = 1 / 4;

/**
 * Rows whose values another row has as well, ascending; rows with a null are left out. Bits leave the rows
 * that may be alike, and only those are compared; where they are many, all rows are numbered.
 */
export function repeatedRows(columns: readonly Column[], rowCount: number): Uint32Array {
  const coded = columns.map(({ codes, size, nulls }) => ({ codes, size: size + 1, hasNulls: nulls > 0 }));
  const rows = doubtfulRows(coded, rowCount, rowCount * MOST_IN_DOUBT);
  if (!rows) return byNumbers(columns, rowCount);
  return rows.length === 0 ? rows : alikeAmong(rows, columns);
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
