import type { CountInSql } from './bySql.ts';
import type { RowsCount, RunCount } from './count.ts';

export const countAllRows: RunCount<RowsCount> = ({ table }, data) => ({
  checked: data.rowCount(table),
  against: 0,
});

export const rowsInSql: CountInSql<RowsCount> = {
  whole: async ({ table }, asker) => ({ checked: await asker.rowCount(table), against: 0 }),
};
