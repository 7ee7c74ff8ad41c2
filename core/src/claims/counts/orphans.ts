import type { Column } from '../../columns/index.ts';
import { keyNumbers, orphanCodes } from '../../relate/index.ts';
import type { Evidence } from '../evidence.ts';
import { offendingCodes, offendingRows } from '../offenders.ts';
import type { CountInSql } from './bySql.ts';
import type { OrphansCount, RunCount } from './count.ts';
import { shownName } from './named.ts';

/**
 * What was found of a column and the one that it refers to: columns do not change. They are asked for each
 * time, for what a claim reads is what it rests on.
 */
const ofOneColumn = new WeakMap<Column, WeakMap<Column, Evidence>>();

export const countOrphans: RunCount<OrphansCount> = ({ table, columns, of }, data) => {
  const from = data.table(table);
  const read = columns.map((name) => data.column(table, name));
  const partners = of.columns.map((name) => data.column(of.table, name));
  if (read.length === 1) {
    const [column, partner] = [read[0]!, partners[0]!];
    const known = ofOneColumn.get(column) ?? new WeakMap<Column, Evidence>();
    ofOneColumn.set(column, known);
    const found =
      known.get(partner) ??
      offendingCodes(from, column.rowCount - column.nulls, column, orphanCodes(column, partner));
    known.set(partner, found);
    return found;
  }
  const keys = keyNumbers(read, partners);
  const known = new Uint8Array(keys.size);
  for (const key of keys.to) known[key] = 1;
  let filled = 0;
  for (const key of keys.from) if (key !== 0) filled++;
  return offendingRows(from, filled, read, (row) => keys.from[row] !== 0 && !known[keys.from[row]!]);
};

export const orphansInSql: CountInSql<OrphansCount> = {
  each: ({ table, columns, of }, rows) => {
    const own = columns.map((name) => rows.own(name));
    const theirs = rows.valuesOf(of.table, of.columns);
    const keys = theirs.types.map((_, i) => `v${i}`);
    const partner = rows.fresh('p');
    const on = own.map((v, i) => rows.equal(v, { sql: `${partner}.v${i}`, type: theirs.types[i]! }));
    rows.join(
      `left join (select distinct ${keys.join(', ')} from (${theirs.sql}) v where ${keys.map((k) => `${k} is not null`).join(' and ')}) ${partner} on ${on.join(' and ')}`,
    );
    const filled = own.map((v) => `${v.sql} is not null`).join(' and ');
    return {
      checked: filled,
      against: `(${filled} and ${partner}.v0 is null)`,
      shown: columns.map((column, i) => ({ name: shownName(rows, table, { table, column }), ...own[i]! })),
    };
  },
};
