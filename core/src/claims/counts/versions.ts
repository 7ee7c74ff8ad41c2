import { formatDate } from '../../values/index.ts';
import { columnValues, combinations } from '../../columns/index.ts';
import type { Column } from '../../columns/index.ts';
import type { RowsStatement } from '../../sql/index.ts';
import { counting, countWhere, orderTerm, quoted } from '../../sql/index.ts';
import type { SampleRow } from '../evidence.ts';
import { SAMPLE_SIZE } from '../evidence.ts';
import { hasNull, rowCells } from '../offenders.ts';
import type { CountInSql, RowsAsker } from './bySql.ts';
import { numberOf, valuesOf } from './bySql.ts';
import type { Counted, RunCount, VersionsCount } from './count.ts';
import { shownName } from './named.ts';

export const countVersions: RunCount<VersionsCount> = ({ table: name, of, from, to, key }, data) => {
  const table = data.table(name);
  const natural = of.map((column) => data.column(name, column));
  const [starts, ends] = [data.column(name, from), data.column(name, to)];
  const [startValues, endValues] = [columnValues(starts), columnValues(ends)];
  const start = (row: number) => (startValues[starts.codes[row]!] as number | null) ?? -Infinity;
  const end = (row: number) => (endValues[ends.codes[row]!] as number | null) ?? Infinity;
  const { numbers, size } = combinations(natural, starts.rowCount);
  const versions: number[][] = Array.from({ length: size }, () => []);
  numbers.forEach((n, row) => {
    if (!hasNull(natural, row)) versions[n]!.push(row);
  });
  const [overlapping, gapped] = [new Set<number>(), new Set<number>()];
  const isSameKey = sameKey(key.map((column) => data.column(name, column)));
  let isCertain = false;
  const sample: SampleRow[] = [];
  for (const rows of versions) {
    rows.sort((a, b) => start(a) - start(b) || end(a) - end(b));
    // Every pair that shares a day clashes, not only neighbours; the furthest end so far finds gaps.
    let reachedRow = rows[0]!;
    for (let i = 1; i < rows.length; i++) {
      const row = rows[i]!;
      for (let j = 0; j < i; j++) {
        if (end(rows[j]!) < start(row)) continue;
        // One row that stands twice overlaps itself: that is the key's fault.
        if (!isSameKey(rows[j]!, row)) isCertain = true;
        overlapping.add(rows[j]!).add(row);
      }
      if (start(row) > end(reachedRow) + 1) gapped.add(reachedRow).add(row);
      const overlaps = start(row) <= end(reachedRow);
      if ((overlaps || start(row) > end(reachedRow) + 1) && sample.length < SAMPLE_SIZE) {
        sample.push({
          values: {
            ...rowCells([...natural, starts, ends], reachedRow),
            [`then ${from}`]: Number.isFinite(start(row)) ? formatDate(start(row)) : null,
          },
          rows: 2,
          ...(table.lineOf ? { lines: [table.lineOf(reachedRow), table.lineOf(row)] } : {}),
        });
      }
      if (end(row) > end(reachedRow)) reachedRow = row;
    }
  }
  return counted(starts.rowCount, overlapping.size, gapped.size, isCertain, sample);
};

const counted = (
  checked: number,
  overlapping: number,
  gapped: number,
  isCertain: boolean,
  sample: SampleRow[],
): Counted => ({
  checked,
  against: overlapping > 0 ? overlapping : gapped,
  ...(sample.length > 0 ? { sample } : {}),
  tally: { overlapping, gapped, certain: isCertain ? 1 : 0 },
});

/** Whether two rows have the same key of their table: then they are one row that stands twice. */
function sameKey(key: readonly Column[]): (a: number, b: number) => boolean {
  const codes = key.map((column) => column.codes);
  return codes.length === 0 ? () => false : (a, b) => codes.every((own) => own[a] !== 0 && own[a] === own[b]);
}

export const versionsInSql: CountInSql<VersionsCount> = {
  whole: async (count, asker) => {
    const checked = await asker.rowCount(count.table);
    const rows = asker.on(count.table);
    const { versions, naturals } = versionsSql(rows, count);
    const same = (a: string, b: string) => naturals.map((n) => `${a}.${n} = ${b}.${n}`).join(' and ');
    // Before a gap stands the first version that reached as far as any before it.
    const reached = `select y.r, row_number() over (partition by x.r order by y.place) as nth from ${versions} x join ${versions} y on ${same('x', 'y')} and y.place < x.place and y.e = x.before_max where ${isGap('x')}`;
    const gapped = `select r from ${versions} x where ${isGap('x')} union select r from (${reached}) y where nth = 1`;
    const columns = [
      counting('overlapping', countWhere(isOverlapping('x'))),
      counting('gapped', `(select count(*) from (${gapped}) g)`),
    ];
    const listed = columns.map((c) => `${c.sql} as ${c.name}`).join(', ');
    const [found] = await asker.ask(rows.compiled(`select ${listed} from ${versions} x`, columns));
    const [overlapping, gaps] = [numberOf(found![0]), numberOf(found![1])];
    if (overlapping + gaps === 0) return counted(checked, 0, 0, false, []);
    const isCertain = overlapping > 0 && (await overlapsOfTwo(asker, count));
    return counted(checked, overlapping, gaps, isCertain, await sampleVersions(asker, count));
  },
};

/** The version overlaps with one that starts before it, in the order of versions. */
const overlapsBefore = (x: string): string =>
  `(${x}.place > 1 and (${x}.s is null or ${x}.before_open > 0 or ${x}.before_max >= ${x}.s))`;
const overlapsNext = (x: string): string =>
  `(${x}.has_next = 1 and (${x}.e is null or ${x}.next_s is null or ${x}.next_s <= ${x}.e))`;
const isOverlapping = (x: string): string => `(${overlapsBefore(x)} or ${overlapsNext(x)})`;
const isGap = (x: string): string => `(${x}.place > 1 and ${x}.before_open = 0 and ${x}.s > ${x}.day_after)`;

/**
 * The versions of each member in their order: start `s` and end `e`, how far those before reached, the next
 * start, the keys `k0`, `k1`, …
 */
function versionsSql(
  rows: RowsStatement,
  { of, from, to, key }: VersionsCount,
): { versions: string; naturals: string[] } {
  const { dialect } = rows;
  const naturals = of.map((_, i) => `n${i}`);
  const values = [
    ...of.map((column, i) => ({ name: naturals[i]!, ...rows.own(column) })),
    ...key.map((column, i) => ({ name: `k${i}`, ...rows.own(column) })),
    { name: 's', ...rows.own(from) },
    { name: 'e', ...rows.own(to) },
    counting('r', rows.rowId),
  ];
  const whole = of.map((column) => `${rows.own(column).sql} is not null`).join(' and ');
  const plain = rows.keptCte('v', rows.rows(values, `where ${whole}`));
  const partition = `partition by ${naturals.join(', ')}`;
  const order = `${partition} order by ${orderTerm('s', 'asc', 'first', dialect)}, ${orderTerm('e', 'asc', 'last', dialect)}, r`;
  const before = `over (${order} rows between unbounded preceding and 1 preceding)`;
  const windows = [
    `row_number() over (${order}) as place`,
    `max(e) ${before} as before_max`,
    `count(case when e is null then 1 end) ${before} as before_open`,
    `lead(s) over (${order}) as next_s`,
    `lead(1) over (${order}) as has_next`,
    `min(r) over (${partition}) as group_first`,
  ];
  const placed = `select v.*, ${windows.join(', ')} from ${plain} v`;
  const versions = rows.keptCte(
    'w',
    `select p.*, ${dialect.addDays('before_max', '1')} as day_after from (${placed}) p`,
  );
  return { versions, naturals };
}

/** Whether two versions with different keys overlap: one row that stands twice is the key's fault. */
async function overlapsOfTwo(asker: RowsAsker, count: VersionsCount): Promise<boolean> {
  if (count.key.length === 0) return true;
  const rows = asker.on(count.table);
  const { versions, naturals } = versionsSql(rows, count);
  const same = naturals.map((n) => `a.${n} = b.${n}`).join(' and ');
  const sameKeys = count.key.map((_, i) => `a.k${i} = b.k${i}`).join(' and ');
  const select = `select 1 as found from ${versions} a join ${versions} b on ${same} and a.place < b.place where (a.e is null or b.s is null or a.e >= b.s) and case when ${sameKeys} then 0 else 1 end = 1 limit 1`;
  return (await asker.ask(rows.compiled(select, [counting('found', '1')]))).length > 0;
}

async function sampleVersions(asker: RowsAsker, count: VersionsCount): Promise<SampleRow[]> {
  const rows = asker.on(count.table);
  const { versions, naturals } = versionsSql(rows, count);
  const same = (a: string, b: string) => naturals.map((n) => `${a}.${n} = ${b}.${n}`).join(' and ');
  const reached = `select min(z.place) from ${versions} z where ${same('z', 'x')} and z.place < x.place and case when x.before_open > 0 then z.e is null else z.e = x.before_max end`;
  const worst = `select * from ${versions} x where ${overlapsBefore('x')} or ${isGap('x')} order by group_first, place limit ${SAMPLE_SIZE}`;
  const named = (column: string, name = shownName(rows, count.table, { table: count.table, column })) => ({
    name,
    type: rows.own(column).type,
  });
  const columns = [
    ...count.of.map((column, i) => ({ ...named(column), sql: `x.${naturals[i]!}` })),
    { ...named(count.from), sql: 'y.s' },
    { ...named(count.to), sql: 'y.e' },
    { ...named(count.from, `then ${count.from}`), sql: 'x.s' },
  ];
  const listed = columns.map((c) => `${c.sql} as ${quoted(c.name)}`).join(', ');
  const select = `select ${listed} from (${worst}) x join ${versions} y on ${same('y', 'x')} and y.place = (${reached}) order by x.group_first, x.place`;
  const found = await asker.ask(rows.compiled(select, columns));
  return found.map((row) => ({ values: valuesOf(columns, row), rows: 2 }));
}
