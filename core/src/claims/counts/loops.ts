import { keyNumbers } from '../../relate/index.ts';
import type { Column } from '../../columns/index.ts';
import { endlessRows } from '../../query/index.ts';
import type { NamedValue, RowsStatement } from '../../sql/index.ts';
import { counting } from '../../sql/index.ts';
import { offendingRows } from '../offenders.ts';
import type { CountInSql } from './bySql.ts';
import { countGroups, sampleGroups } from './bySql.ts';
import type { LoopsCount, RunCount } from './count.ts';
import { shownName } from './named.ts';

export const countLoops: RunCount<LoopsCount> = ({ table: name, key: keyName, parent: parentName }, data) => {
  const table = data.table(name);
  const [key, parent] = [data.column(name, keyName), data.column(name, parentName)];
  const endless = endlessRows(certainParents(key, parent));
  return offendingRows(table, table.rowCount, [key, parent], (row) => endless[row] === 1);
};

/**
 * By row, the row + 1 of its parent; 0 for none, and where a key that stands on several rows leaves open
 * which one is meant. What is its own parent is so whatever its key.
 */
function certainParents(key: Column, parent: Column): Uint32Array {
  const { from, to, size } = keyNumbers([parent], [key]);
  const [rowOf, times] = [new Uint32Array(size), new Uint32Array(size)];
  for (let row = to.length - 1; row >= 0; row--) {
    rowOf[to[row]!] = row + 1;
    times[to[row]!]!++;
  }
  return Uint32Array.from(from, (own, row) => {
    if (own === 0) return 0;
    if (own === to[row]) return row + 1;
    const isRepeated = (number: number) => number !== 0 && times[number]! > 1;
    return isRepeated(own) || isRepeated(to[row]!) ? 0 : rowOf[own]!;
  });
}

export const loopsInSql: CountInSql<LoopsCount> = {
  whole: async ({ table, key, parent }, asker) => {
    const checked = await asker.rowCount(table);
    const rows = asker.on(table);
    const shown = [key, parent].map((column) => ({
      name: shownName(rows, table, { table, column }),
      ...rows.own(column),
    }));
    const groups = endlessSql(rows, shown);
    const { distinct, against } = await countGroups(asker, rows, groups);
    if (against === 0) return { checked, against, distinct };
    return { checked, against, distinct, sample: await sampleGroups(asker, rows, groups, shown) };
  },
};

/** Rows that no way from a top leads down to, grouped by key and parent. */
function endlessSql(rows: RowsStatement, [key, parent]: readonly NamedValue[]): string {
  const own = rows.equal({ sql: 'm.p', type: parent!.type }, { sql: 'm.k', type: key!.type });
  const is = (a: string, b: string) =>
    rows.equal({ sql: a, type: parent!.type }, { sql: b, type: key!.type });
  const members = rows.keptCte(
    'm',
    rows.rows([{ ...key!, name: 'k' }, { ...parent!, name: 'p' }, counting('r', rows.rowId)]),
  );
  const times = `select k, count(*) as n from ${members} where k is not null group by k`;
  const ways = rows.keptCte(
    'f',
    `select m.r, m.k, m.p, case when ${own} then 1 else 0 end as own, case when ${own} or t.n > 1 or u.k is null or u.n > 1 then 0 else 1 end as leads from ${members} m left join (${times}) t on t.k = m.k left join (${times}) u on ${is('m.p', 'u.k')}`,
  );
  const ends = rows.fresh('ends');
  rows.addRecursive(
    `${ends} (r, k)`,
    `select r, k from ${ways} where own = 0 and leads = 0
  union all
  select c.r, c.k from ${ends} e join ${ways} c on c.leads = 1 and ${is('c.p', 'e.k')}`,
  );
  const names = [key!, parent!].map(
    (v, i) => `f.${i === 0 ? 'k' : 'p'} as "${v.name.replaceAll('"', '""')}"`,
  );
  return `select ${names.join(', ')}, count(*) as n, min(f.r) as "first" from ${ways} f left join ${ends} e on e.r = f.r where e.r is null group by 1, 2`;
}
