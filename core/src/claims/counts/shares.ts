import type { Exact } from '../../values/index.ts';
import { add, formatExact, powerOfTen, scaleOf } from '../../values/index.ts';
import { columnValues, combinations } from '../../columns/index.ts';
import type { SampleRow } from '../evidence.ts';
import { MOST_LINES, SAMPLE_SIZE } from '../evidence.ts';
import { rowCells } from '../offenders.ts';
import { counting, quoted } from '../../sql/index.ts';
import type { CountInSql } from './bySql.ts';
import { numberOf, valuesOf } from './bySql.ts';
import type { RunCount, SharesCount } from './count.ts';
import { shownName } from './named.ts';

/** How far a sum of doubles may be from 1. */
const ROUNDING = 1e-9;

export const countShares: RunCount<SharesCount> = ({ table: name, column, per }, data) => {
  const table = data.table(name);
  const weight = data.column(name, column);
  const groupedBy = per.map((c) => data.column(name, c));
  const { numbers, size } = combinations(groupedBy, table.rowCount);
  const values = columnValues(weight);
  const isDouble = weight.type.kind === 'double';
  const sums: Exact[] = new Array<Exact>(size).fill(0);
  const [first, rows] = [new Int32Array(size).fill(-1), new Uint32Array(size)];
  numbers.forEach((n, row) => {
    const value = values[weight.codes[row]!] ?? 0;
    sums[n] = isDouble ? (sums[n] as number) + (value as number) : add(sums[n]!, value as Exact);
    if (first[n]! < 0) first[n] = row;
    rows[n]!++;
  });
  const one = isDouble ? 1 : powerOfTen(scaleOf(weight.type));
  const wrong = sums.flatMap((sum, n) =>
    (isDouble ? Math.abs((sum as number) - 1) > ROUNDING : sum !== one) ? [n] : [],
  );
  const linesOf = (group: number): number[] => {
    const lines: number[] = [];
    for (let row = first[group]!; table.lineOf && row < numbers.length && lines.length < MOST_LINES; row++)
      if (numbers[row] === group) lines.push(table.lineOf(row));
    return lines;
  };
  const sample = wrong.slice(0, SAMPLE_SIZE).map((n): SampleRow => {
    const lines = linesOf(n);
    const sum = isDouble ? (sums[n] as number) : formatExact(sums[n]!, scaleOf(weight.type));
    return {
      values: { ...rowCells(groupedBy, first[n]!), [`sum of ${column}`]: sum },
      rows: rows[n]!,
      ...(lines.length ? { lines } : {}),
    };
  });
  return {
    checked: table.rowCount,
    against: wrong.reduce((sum, n) => sum + rows[n]!, 0),
    distinct: wrong.length,
    ...(sample.length ? { sample } : {}),
  };
};

export const sharesInSql: CountInSql<SharesCount> = {
  whole: async ({ table, column, per }, asker) => {
    const rows = asker.on(table);
    const weight = rows.own(column);
    const keys = per.map((name) => ({
      name: shownName(rows, table, { table, column: name }),
      ...rows.own(name),
    }));
    const isDouble = weight.type.kind === 'double';
    const zero = rows.value(0, weight.type);
    const total = {
      name: 'total',
      sql: rows.dialect.sum(`coalesce(${weight.sql}, ${zero})`, weight.type, ''),
      type: weight.type,
    };
    const one = rows.value(isDouble ? 1 : powerOfTen(scaleOf(weight.type)), weight.type);
    const columns = [
      ...keys,
      counting('n', 'count(*)'),
      total,
      { ...counting('first', `min(${rows.rowId})`) },
    ];
    const groups = rows.rows(columns, `group by ${keys.map((_, i) => i + 1).join(', ')}`);
    const wrong = isDouble ? `abs(total - ${one}) > ${ROUNDING}` : `total <> ${one}`;
    const totals = [counting('d', 'count(*) over ()'), counting('a', 'sum(n) over ()')];
    const listed = [...keys.map((k) => quoted(k.name)), 'n', 'total'];
    const select = `select ${listed.join(', ')}, ${totals.map((t) => `${t.sql} as ${t.name}`).join(', ')} from (${groups}) g where ${wrong} order by "first" limit ${SAMPLE_SIZE}`;
    const found = await asker.ask(rows.compiled(select, [...keys, counting('n', 'n'), total, ...totals]));
    const checked = await asker.rowCount(table);
    const sample = found.map((row): SampleRow => {
      const sum = row[keys.length + 1] ?? null;
      return {
        values: { ...valuesOf(keys, row), [`sum of ${column}`]: isDouble ? sum : String(sum) },
        rows: numberOf(row[keys.length]),
      };
    });
    return {
      checked,
      against: numberOf(found[0]?.[keys.length + 3]),
      distinct: numberOf(found[0]?.[keys.length + 2]),
      ...(sample.length ? { sample } : {}),
    };
  },
};
