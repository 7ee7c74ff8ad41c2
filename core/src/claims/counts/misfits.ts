import type { Value } from '../../values/index.ts';
import { INTEGER, TEXT } from '../../values/index.ts';
import type { Column, TableData } from '../../columns/index.ts';
import { columnValues } from '../../columns/index.ts';
import type { SampleRow } from '../evidence.ts';
import { MOST_LINES, SAMPLE_SIZE } from '../evidence.ts';
import type { CountInSql } from './bySql.ts';
import type { Counted, MisfitsCount, RunCount } from './count.ts';

export const countMisfits: RunCount<MisfitsCount> = ({ table: name, column, length }, data) => {
  const table = data.table(name);
  const own = data.column(name, column);
  const misfits = table.misfits.get(column.toLowerCase());
  if (!misfits) {
    return length === undefined
      ? { checked: table.rowCount, against: 0 }
      : countTooLong(table, own, column, length);
  }
  const sample = misfits.sample.map(({ text, rows, lines }): SampleRow => ({
    values: { [column]: text },
    rows,
    lines,
  }));
  return { checked: table.rowCount, against: misfits.rows, distinct: misfits.distinct, sample };
};

/** Characters, not units of UTF-16. */
export const lengthOf = (text: Value): number => [...String(text)].length;

/** Texts that are longer than the model lets them be. */
function countTooLong(table: TableData, column: Column, name: string, length: number): Counted {
  const values = columnValues(column);
  const long = values.flatMap((value, code) =>
    typeof value === 'string' && lengthOf(value) > length && column.counts[code]! > 0 ? [code] : [],
  );
  const against = long.reduce((sum, code) => sum + column.counts[code]!, 0);
  const sample = long
    // The longest first: they say how long it would have to be.
    .sort((a, b) => lengthOf(values[b]!) - lengthOf(values[a]!) || column.counts[b]! - column.counts[a]!)
    .slice(0, SAMPLE_SIZE)
    .map((code): SampleRow => {
      const lines = table.lineOf ? linesOf(table, column, code) : [];
      return {
        values: { [name]: values[code] as string },
        rows: column.counts[code]!,
        ...(lines.length ? { lines } : {}),
      };
    });
  return { checked: table.rowCount, against, distinct: long.length, sample };
}

function linesOf(table: TableData, column: Column, code: number): number[] {
  const lines: number[] = [];
  for (let row = 0; row < column.rowCount && lines.length < MOST_LINES; row++)
    if (column.codes[row] === code) lines.push(table.lineOf!(row));
  return lines;
}

export const misfitsInSql: CountInSql<MisfitsCount> = {
  each: ({ column, length }, rows) => {
    const value = rows.own(column);
    const misfit = rows.misfitOf(column);
    if (misfit) return { against: misfit.condition, shown: [{ name: column, sql: misfit.text, type: TEXT }] };
    if (length === undefined) return { against: rows.dialect.false, shown: [{ name: column, ...value }] };
    const characters = rows.dialect.apply('char_length', [value], INTEGER);
    return {
      against: `${characters} > ${length}`,
      shown: [{ name: column, ...value }],
      worst: characters,
    };
  },
};
