import type { Value } from '../../values/index.ts';
import { compareValues } from '../../values/index.ts';
import { columnValues } from '../../columns/index.ts';
import type { Column } from '../../columns/index.ts';
import { offendingCodes } from '../offenders.ts';
import type { CountInSql } from './bySql.ts';
import type { OutsideCount, RunCount } from './count.ts';
import { shownName } from './named.ts';

/**
 * The least and the greatest value that rows have; undefined where all are null. Codes are in the order of
 * values.
 */
function boundsOf(column: Column): readonly [Value, Value] | undefined {
  const values = columnValues(column);
  const has = (code: number) => code > 0 && column.counts[code]! > 0;
  const least = values.findIndex((_, code) => has(code));
  const greatest = values.findLastIndex((_, code) => has(code));
  return least < 0 ? undefined : [values[least]!, values[greatest]!];
}

export const countOutside: RunCount<OutsideCount> = ({ table, column: name, of }, data) => {
  const column = data.column(table, name);
  const bounds = boundsOf(data.column(of.table, of.column));
  const outside = columnValues(column).map((value) =>
    value !== null && (!bounds || compareValues(value, bounds[0]) < 0 || compareValues(value, bounds[1]) > 0)
      ? 1
      : 0,
  );
  return offendingCodes(data.table(table), column.rowCount - column.nulls, column, outside);
};

export const outsideInSql: CountInSql<OutsideCount> = {
  each: ({ table, column, of }, rows) => {
    const value = rows.own(column);
    const bounds = rows.keptCte(
      'bounds',
      `select min(v0) as least, max(v0) as greatest from (${rows.valuesOf(of.table, [of.column]).sql}) v`,
    );
    // One row beside each: not every database takes a subquery within an aggregate.
    rows.join(`cross join ${bounds}`);
    const [least, greatest] = ['least', 'greatest'].map((end) => `${bounds}.${end}`);
    const filled = `${value.sql} is not null`;
    return {
      checked: filled,
      against: `(${filled} and (${least} is null or ${value.sql} < ${least} or ${value.sql} > ${greatest}))`,
      shown: [{ name: shownName(rows, table, { table, column }), ...value }],
    };
  },
};
