import { INTEGER, TEXT } from '../../values/index.ts';
import type { Column } from '../../columns/index.ts';
import { columnValues } from '../../columns/index.ts';
import { counting } from '../../sql/index.ts';
import type { CountInSql } from './bySql.ts';
import { numberOf } from './bySql.ts';
import type { Counted, DigitsCount, RunCount } from './count.ts';

export const countDigits: RunCount<DigitsCount> = ({ table, column: name }, data) => {
  const column = data.column(table, name);
  return { checked: column.rowCount, against: 0, tally: digitsOf(column) };
};

/** The tally of a count of digits. */
export function digitsOf(column: Column): NonNullable<Counted['tally']> {
  const values = columnValues(column);
  let [shortest, longest] = [Infinity, 0];
  for (let code = 1; code < values.length; code++) {
    if (column.counts[code] === 0) continue;
    const length = String(values[code]).length;
    shortest = Math.min(shortest, length);
    longest = Math.max(longest, length);
  }
  const { distinct, padded } = column;
  const filled = column.rowCount - column.nulls;
  return { filled, distinct, shortest, longest, padded };
}

export const digitsInSql: CountInSql<DigitsCount> = {
  whole: async ({ table, column }, asker) => {
    const rows = asker.on(table);
    const value = rows.own(column);
    const text = { sql: rows.dialect.convert(value, TEXT), type: TEXT };
    const length = rows.dialect.apply('char_length', [text], INTEGER);
    const columns = [
      counting('n', 'count(*)'),
      counting('filled', `count(${value.sql})`),
      counting('different', `count(distinct ${value.sql})`),
      counting('shortest', `min(${length})`),
      counting('longest', `max(${length})`),
    ];
    const [found] = await asker.ask(rows.compiled(rows.rows(columns), columns));
    const [checked, filled, distinct, shortest, longest] = found!.map(numberOf);
    return {
      checked: checked!,
      against: 0,
      // How a number was written is not known of a database's number.
      tally: { filled: filled!, distinct: distinct!, shortest: shortest!, longest: longest!, padded: 0 },
    };
  },
};
