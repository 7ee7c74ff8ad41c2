import type { Column } from '../../columns/index.ts';
import { repeatedRows } from '../../columns/index.ts';
import type { Evidence } from '../evidence.ts';
import { evidenceOf, offendingCodes, repeatedCodes } from '../offenders.ts';
import type { CountInSql } from './bySql.ts';
import { countGroups, groupsOf, sampleGroups } from './bySql.ts';
import type { RepeatedCount, RunCount } from './count.ts';
import { shownName } from './named.ts';

/** What was found of a column, which does not change. */
const ofOneColumn = new WeakMap<Column, Evidence>();

export const countRepeated: RunCount<RepeatedCount> = ({ table: name, columns }, data) => {
  const table = data.table(name);
  const read = columns.map((c) => data.column(name, c));
  if (read.length > 1) return evidenceOf(table, table.rowCount, read, repeatedRows(read, table.rowCount));
  // One column: its histogram has the answer; rows are read only to show them.
  const column = read[0]!;
  if (column.distinct === column.rowCount - column.nulls) return { checked: table.rowCount, against: 0 };
  const found =
    ofOneColumn.get(column) ?? offendingCodes(table, table.rowCount, column, repeatedCodes(column));
  ofOneColumn.set(column, found);
  return found;
};

export const repeatedInSql = {
  whole: async ({ table, columns }, asker) => {
    const rows = asker.on(table);
    const keys = columns.map((column) => ({
      name: shownName(rows, table, { table, column }),
      ...rows.own(column),
    }));
    const groups = groupsOf(rows, keys, {
      where: keys.map((k) => `${k.sql} is not null`),
      having: 'count(*) > 1',
    });
    const checked = await asker.rowCount(table);
    const { distinct, against } = await countGroups(asker, rows, groups);
    if (against === 0) return { checked, against };
    return { checked, against, distinct, sample: await sampleGroups(asker, rows, groups, keys) };
  },
} satisfies CountInSql<RepeatedCount>;
