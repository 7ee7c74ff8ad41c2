import { toJson } from '../values/index.ts';
import type { Column, TableData } from '../columns/index.ts';
import { columnValues } from '../columns/index.ts';
import type { Cell, Evidence, SampleRow } from './claim.ts';
import { SAMPLE_SIZE } from './claim.ts';

/** The values of a row as JSON, by column name. */
export function rowCells(columns: readonly Column[], row: number): Record<string, Cell> {
  return Object.fromEntries(columns.map((column) => [column.name, toJson(columnValues(column)[column.codes[row]!]!, column.type)]));
}

export const hasNull = (columns: readonly Column[], row: number): boolean => columns.some((column) => column.codes[row] === 0);

/**
 * Evidence over rows that speak against a claim: grouped by the values of `shown`, the most frequent first, each with up to five lines.
 */
export function offendingRows(table: TableData, checked: number, shown: readonly Column[], offends: (row: number) => boolean): Evidence {
  const rows: number[] = [];
  for (let row = 0; row < table.rowCount; row++) if (offends(row)) rows.push(row);
  return evidenceOf(table, checked, shown, rows);
}

/** As `offendingRows`, of rows that are known. */
export function evidenceOf(table: TableData, checked: number, shown: readonly Column[], offending: ArrayLike<number>): Evidence {
  const groups = new Map<string, { row: number; rows: number; lines: number[] }>();
  if (offending.length === 0) return { checked, against: 0, distinct: 0 };
  for (let i = 0; i < offending.length; i++) {
    const row = offending[i]!;
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
  return { checked, against: offending.length, distinct: groups.size, ...(sample.length > 0 ? { sample } : {}) };
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
