import { toJson } from '../values/index.ts';
import type { Column, TableData } from '../columns/index.ts';
import { columnValues } from '../columns/index.ts';
import type { Cell, Evidence, SampleRow } from './claim.ts';
import { SAMPLE_SIZE } from './claim.ts';

/** The values of a row as JSON, by column name. */
export function rowCells(columns: readonly Column[], row: number): Record<string, Cell> {
  return Object.fromEntries(columns.map((column) => [column.name, toJson(columnValues(column)[column.codes[row]!]!, column.type)]));
}

/** Numbers the combinations of values that a row has in some columns, in order of first appearance; null is a value. */
export function combinations(columns: readonly Column[], rowCount: number): { numbers: Int32Array; size: number } {
  let numbers: Int32Array = new Int32Array(rowCount);
  let size = 1;
  for (const column of columns) ({ numbers, size } = paired(numbers, column));
  return { numbers, size };
}

/** Pairs of a number and a code, numbered anew: open addressing over the pairs as doubles, which hold them exactly. */
function paired(before: Int32Array, column: Column): { numbers: Int32Array; size: number } {
  const { codes } = column;
  const width = column.domain.size + 1;
  const slots = 1 << Math.max(4, Math.ceil(Math.log2(before.length * 2 + 1)));
  const keys = new Float64Array(slots).fill(-1);
  const numberOf = new Int32Array(slots);
  const numbers = new Int32Array(before.length);
  let size = 0;
  for (let row = 0; row < before.length; row++) {
    const [high, low] = [before[row]!, codes[row]!];
    const key = high * width + low;
    let slot = (Math.imul(high, 0x9e3779b1) ^ Math.imul(low, 0x85ebca6b)) >>> 0;
    slot = (slot ^ (slot >>> 15)) & (slots - 1);
    while (keys[slot] !== key && keys[slot] !== -1) slot = (slot + 1) & (slots - 1);
    if (keys[slot] === -1) {
      keys[slot] = key;
      numberOf[slot] = size++;
    }
    numbers[row] = numberOf[slot]!;
  }
  return { numbers, size };
}

export const hasNull = (columns: readonly Column[], row: number): boolean => columns.some((column) => column.codes[row] === 0);

/**
 * Evidence over rows that speak against a claim: grouped by the values of `shown`, the most frequent first, each with up to five lines.
 */
export function offendingRows(table: TableData, checked: number, shown: readonly Column[], offends: (row: number) => boolean): Evidence {
  const groups = new Map<string, { row: number; rows: number; lines: number[] }>();
  let against = 0;
  for (let row = 0; row < table.rowCount; row++) {
    if (!offends(row)) continue;
    against++;
    const key = shown.map((column) => column.codes[row]).join(',');
    let group = groups.get(key);
    if (!group) groups.set(key, (group = { row, rows: 0, lines: [] }));
    group.rows++;
    if (table.lineOf && group.lines.length < 5) group.lines.push(table.lineOf(row));
  }
  const sample = [...groups.values()]
    .sort((a, b) => b.rows - a.rows || a.row - b.row)
    .slice(0, SAMPLE_SIZE)
    .map(({ row, rows, lines }): SampleRow => ({ ...rowCells(shown, row), rows, ...(lines.length > 0 ? { line: lines[0]!, lines } : {}) }));
  return { checked, against, distinct: groups.size, ...(sample.length > 0 ? { sample } : {}) };
}

const MOST_LINES = 5;

/**
 * As `offendingRows` where the values of one column decide: the histogram has the counts, and rows are looked at only for the lines of the
 * sample, until it has them. `offends[code]` is not 0 for values that speak against the claim.
 */
export function offendingCodes(table: TableData, checked: number, column: Column, offends: ArrayLike<number>): Evidence {
  const { counts } = column;
  const bad: number[] = [];
  let against = 0;
  for (let code = 0; code < counts.length; code++) {
    if (!offends[code] || counts[code] === 0) continue;
    bad.push(code);
    against += counts[code]!;
  }
  if (against === 0) return { checked, against: 0 };
  const shown = bad.sort((a, b) => counts[b]! - counts[a]! || a - b).slice(0, SAMPLE_SIZE);
  const rows = new Map<number, number[]>(shown.map((code) => [code, []]));
  const { codes } = column;
  let wanted = shown.reduce((sum, code) => sum + Math.min(MOST_LINES, counts[code]!), 0);
  for (let row = 0; wanted > 0; row++) {
    const found = rows.get(codes[row]!);
    if (!found || found.length === MOST_LINES) continue;
    found.push(row);
    wanted--;
  }
  const sample = shown.map((code): SampleRow => {
    const lines = table.lineOf ? rows.get(code)!.map((row) => table.lineOf!(row)) : [];
    return { ...rowCells([column], rows.get(code)![0]!), rows: counts[code]!, ...(lines.length > 0 ? { line: lines[0]!, lines } : {}) };
  });
  return { checked, against, distinct: bad.length, sample };
}
