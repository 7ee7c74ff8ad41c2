import { onRowsOf } from '../../query/index.ts';
import { hasNull, offendingCodes, offendingRows } from '../offenders.ts';
import { shownName } from './named.ts';
import type { CountInSql } from './bySql.ts';
import type { NullsCount, RunCount } from './count.ts';

export const countNulls: RunCount<NullsCount> = ({ table: name, columns, shown }, data) => {
  const table = data.table(name);
  const read = columns.map((c) => onRowsOf(data, name, c));
  if (read.every((c) => c.nulls === 0)) return { checked: table.rowCount, against: 0 };
  const sampled = shown.map((c) => onRowsOf(data, name, c));
  // Of one column that is shown itself the histogram has the count.
  if (read.length === 1 && sampled.length === 1) return offendingCodes(table, table.rowCount, read[0]!, [1]);
  return offendingRows(table, table.rowCount, sampled, (row) => hasNull(read, row));
};

export const nullsInSql: CountInSql<NullsCount> = {
  each: ({ table, columns, shown }, rows) => ({
    against: `(${columns.map((c) => `${rows.column(c).sql} is null`).join(' or ')})`,
    shown: shown.map((c) => ({ name: shownName(rows, table, c), ...rows.column(c) })),
  }),
};
