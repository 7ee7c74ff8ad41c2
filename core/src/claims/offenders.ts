import { toJson } from '../values/index.ts';
import type { Column, TableData } from '../columns/index.ts';
import type { Cell, Evidence, SampleRow } from './evidence.ts';
import { MOST_LINES, SAMPLE_SIZE } from './evidence.ts';

/** The values of a row as JSON, by column name. */
export const rowCells = (columns: readonly Column[], row: number): Record<string, Cell> =>
  cellsOfRows(columns, [row])[0]!;

/** As `rowCells`, of several rows: a dictionary is asked once for all of them. */
function cellsOfRows(columns: readonly Column[], rows: readonly number[]): Record<string, Cell>[] {
  const values = columns.map((column) => column.valuesOf(rows.map((row) => column.codes[row]!)));
  return rows.map((_, i) =>
    Object.fromEntries(columns.map((column, c) => [column.name, toJson(values[c]![i]!, column.type)])),
  );
}

export const hasNull = (columns: readonly Column[], row: number): boolean =>
  columns.some((column) => column.codes[row] === 0);

/**
 * Evidence over rows that speak against a claim: grouped by the values of `shown`, the most frequent first,
 * each with up to 20 lines.
 */
export function offendingRows(
  table: TableData,
  checked: number,
  shown: readonly Column[],
  offends: (row: number) => boolean,
): Evidence {
  const rows: number[] = [];
  for (let row = 0; row < table.rowCount; row++) if (offends(row)) rows.push(row);
  return evidenceOf(table, checked, shown, rows);
}

/** As `offendingRows`, of rows that are known. */
export function evidenceOf(
  table: TableData,
  checked: number,
  shown: readonly Column[],
  offending: ArrayLike<number>,
): Evidence {
  const groups = new Map<number | string, { row: number; rows: number; lines: number[] }>();
  if (offending.length === 0) return { checked, against: 0, distinct: 0 };
  const keyOf = groupKey(shown, offending);
  for (let i = 0; i < offending.length; i++) {
    const row = offending[i]!;
    const key = keyOf(row);
    let group = groups.get(key);
    if (!group) groups.set(key, (group = { row, rows: 0, lines: [] }));
    group.rows++;
    if (table.lineOf && group.lines.length < MOST_LINES) group.lines.push(table.lineOf(row));
  }
  const sampled = [...groups.values()].sort((a, b) => b.rows - a.rows || a.row - b.row).slice(0, SAMPLE_SIZE);
  const cells = cellsOfRows(
    shown,
    sampled.map(({ row }) => row),
  );
  const sample = sampled.map(({ rows, lines }, i): SampleRow => ({
    values: cells[i]!,
    rows,
    ...(lines.length > 0 ? { lines } : {}),
  }));
  return {
    checked,
    against: offending.length,
    distinct: groups.size,
    ...(sample.length > 0 ? { sample } : {}),
  };
}

/** Tells rows apart by the codes of some columns: by one number where all combinations have one. */
function groupKey(columns: readonly Column[], rows: ArrayLike<number>): (row: number) => number | string {
  const codes = columns.map((column) => column.codes);
  const widths = codes.map((own) => {
    let largest = 0;
    for (let i = 0; i < rows.length; i++) largest = Math.max(largest, own[rows[i]!]!);
    return largest + 1;
  });
  if (widths.reduce((product, width) => product * width, 1) > Number.MAX_SAFE_INTEGER)
    return (row) => codes.map((own) => own[row]).join(',');
  return (row) => codes.reduce((key, own, c) => key * widths[c]! + own[row]!, 0);
}

/** By code, 1 for a value that stands on several rows. */
export function repeatedCodes({ counts }: Column): Uint8Array {
  const repeated = new Uint8Array(counts.length);
  for (let code = 1; code < counts.length; code++) if (counts[code]! > 1) repeated[code] = 1;
  return repeated;
}

/**
 * As `offendingRows` where the values of one column decide: the histogram has the counts, and rows are looked
 * at only for the lines of the sample, until it has them. `offends[code]` is not 0 for values that speak
 * against the claim.
 */
export function offendingCodes(
  table: TableData,
  checked: number,
  column: Column,
  offends: ArrayLike<number>,
): Evidence {
  const { counts } = column;
  /**
   * The most frequent so far, the first of as many; never more than are shown, so that millions need no
   * sorting.
   */
  const shown: number[] = [];
  let [against, distinct] = [0, 0];
  for (let code = 0; code < counts.length; code++) {
    const count = counts[code]!;
    if (!offends[code] || count === 0) continue;
    distinct++;
    against += count;
    if (shown.length === SAMPLE_SIZE && counts[shown.at(-1)!]! >= count) continue;
    const at = shown.findIndex((other) => counts[other]! < count);
    shown.splice(at < 0 ? shown.length : at, 0, code);
    if (shown.length > SAMPLE_SIZE) shown.pop();
  }
  if (against === 0) return { checked, against: 0 };
  const rows = new Map<number, number[]>(shown.map((code) => [code, []]));
  const { codes } = column;
  // By code, so that a row costs one look into an array.
  const wanted = new Uint8Array(counts.length);
  let left = 0;
  for (const code of shown) left += wanted[code] = Math.min(MOST_LINES, counts[code]!);
  for (let row = 0; left > 0; row++) {
    const code = codes[row]!;
    if (wanted[code] === 0) continue;
    rows.get(code)!.push(row);
    wanted[code]!--;
    left--;
  }
  const values = column.valuesOf(shown);
  const sample = shown.map((code, i): SampleRow => {
    const lines = table.lineOf ? rows.get(code)!.map((row) => table.lineOf!(row)) : [];
    return {
      values: { [column.name]: toJson(values[i]!, column.type) },
      rows: counts[code]!,
      ...(lines.length > 0 ? { lines } : {}),
    };
  });
  return { checked, against, distinct, sample };
}
