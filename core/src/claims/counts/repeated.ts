import { repeatedRows } from '../../columns/index.ts';
import { evidenceOf, offendingCodes, repeatedCodes } from '../offenders.ts';
import type { RepeatedCount, RunCount } from './count.ts';

export const countRepeated: RunCount<RepeatedCount> = ({ table: name, columns }, data) => {
  const table = data.table(name);
  const read = columns.map((c) => data.column(name, c));
  if (read.length > 1) return evidenceOf(table, table.rowCount, read, repeatedRows(read, table.rowCount));
  // One column: its histogram has the answer; rows are read only to show them.
  const column = read[0]!;
  return column.distinct === column.rowCount - column.nulls
    ? { checked: table.rowCount, against: 0 }
    : offendingCodes(table, table.rowCount, column, repeatedCodes(column));
};
