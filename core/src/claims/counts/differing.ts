import { combinations } from '../../columns/index.ts';
import type { Column } from '../../columns/index.ts';
import type { ColumnName } from '../../formula/index.ts';
import type { ModelData } from '../../query/index.ts';
import { onRowsOf } from '../../query/index.ts';
import { toJson } from '../../values/index.ts';
import type { Cell, Evidence, SampleRow } from '../evidence.ts';
import { MOST_LINES, SAMPLE_SIZE } from '../evidence.ts';
import { hasNull } from '../offenders.ts';
import type { DifferingCount, RunCount } from './count.ts';

export const countDiffering: RunCount<DifferingCount> = (count, data) => differing(count, data, () => true);

/** As the count, over the rows that a condition lets through. */
export function differing(
  { table: name, group, parts, nullParts, shown, shownParts }: DifferingCount,
  data: ModelData,
  counts: (row: number) => boolean,
): Evidence {
  const table = data.table(name);
  const read = (c: ColumnName) => onRowsOf(data, name, c);
  const [own, others] = [group.map(read), parts.map(read)];
  const groups = combinations(own, table.rowCount);
  const found = combinations(others, table.rowCount);
  const partOf = new Int32Array(groups.size).fill(-1);
  const torn = new Uint8Array(groups.size);
  const stands = (row: number) =>
    counts(row) && !hasNull(own, row) && (nullParts === 'values' || !hasNull(others, row));
  for (let row = 0; row < table.rowCount; row++) {
    if (!stands(row)) continue;
    const at = groups.numbers[row]!;
    if (partOf[at]! < 0) partOf[at] = found.numbers[row]!;
    else if (partOf[at] !== found.numbers[row]) torn[at] = 1;
  }
  const entries = new Map<number, { row: number; rows: number; parts: Set<Cell>; lines: number[] }>();
  const label = shownParts && read(shownParts.column);
  let against = 0;
  for (let row = 0; row < table.rowCount; row++) {
    const at = groups.numbers[row]!;
    if (!torn[at] || hasNull(own, row) || !counts(row)) continue;
    against++;
    let entry = entries.get(at);
    if (!entry) entries.set(at, (entry = { row, rows: 0, parts: new Set(), lines: [] }));
    entry.rows++;
    if (label && stands(row)) entry.parts.add(cellOf(label, row));
    if (table.lineOf && entry.lines.length < MOST_LINES) entry.lines.push(table.lineOf(row));
  }
  const shownColumn = read(shown.column);
  const sample = [...entries.values()]
    .sort((a, b) => b.rows - a.rows || a.row - b.row)
    .slice(0, SAMPLE_SIZE)
    .map(({ row, rows, parts: several, lines }): SampleRow => ({
      values: {
        [shown.name]: cellOf(shownColumn, row),
        ...(shownParts ? { [shownParts.name]: [...several].map(String).join(' · ') } : {}),
      },
      rows,
      ...(lines.length ? { lines } : {}),
    }));
  return { checked: table.rowCount, against, distinct: entries.size, ...(sample.length ? { sample } : {}) };
}

const cellOf = (column: Column, row: number): Cell =>
  toJson(column.valuesOf([column.codes[row]!])[0]!, column.type);
