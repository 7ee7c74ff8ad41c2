import { combinations } from '../../columns/index.ts';
import type { Column } from '../../columns/index.ts';
import type { ColumnName } from '../../formula/index.ts';
import type { ModelData } from '../../query/index.ts';
import { onRowsOf } from '../../query/index.ts';
import { TEXT, toJson } from '../../values/index.ts';
import type { Cell, Evidence, SampleRow } from '../evidence.ts';
import { MOST_LINES, SAMPLE_SIZE } from '../evidence.ts';
import type { NamedValue, RowsStatement } from '../../sql/index.ts';
import { counting } from '../../sql/index.ts';
import { hasNull } from '../offenders.ts';
import { severalPartnersOn } from '../severalPartners.ts';
import type { CountInSql, RowsAsker } from './bySql.ts';
import { countGroups, numberOf } from './bySql.ts';
import type { DifferingCount, RunCount } from './count.ts';

export const countDiffering: RunCount<DifferingCount> = (count, data) => {
  const doubtful = count.certainly
    ? severalPartnersOn(data, count.table, [...count.group, ...count.parts])
    : undefined;
  const found = differing(count, data, doubtful ? (row) => !doubtful(row) : () => true);
  return { ...found, tally: { doubtful: doubtful ? 1 : 0 } };
};

/** As the count, over the rows that a condition lets through. */
function differing(
  { table: name, group, parts, nullParts, shown, shownParts }: DifferingCount,
  data: ModelData,
  counts: (row: number) => boolean,
): Evidence {
  const table = data.table(name);
  const read = (c: ColumnName) => onRowsOf(data, name, c);
  const [own, others] = [group.map(read), parts.map(read)];
  const groups = combinations(own, table.rowCount);
  const found = combinations(others, table.rowCount);
  const partOf = new Int32Array(groups.size).fill(-1);
  const torn = new Uint8Array(groups.size);
  const stands = (row: number) =>
    counts(row) && !hasNull(own, row) && (nullParts === 'values' || !hasNull(others, row));
  for (let row = 0; row < table.rowCount; row++) {
    if (!stands(row)) continue;
    const at = groups.numbers[row]!;
    if (partOf[at]! < 0) partOf[at] = found.numbers[row]!;
    else if (partOf[at] !== found.numbers[row]) torn[at] = 1;
  }
  const entries = new Map<number, { row: number; rows: number; parts: Set<Cell>; lines: number[] }>();
  const label = shownParts && read(shownParts.column);
  let against = 0;
  for (let row = 0; row < table.rowCount; row++) {
    const at = groups.numbers[row]!;
    if (!torn[at] || hasNull(own, row) || !counts(row)) continue;
    against++;
    let entry = entries.get(at);
    if (!entry) entries.set(at, (entry = { row, rows: 0, parts: new Set(), lines: [] }));
    entry.rows++;
    if (label && stands(row)) entry.parts.add(cellOf(label, row));
    if (table.lineOf && entry.lines.length < MOST_LINES) entry.lines.push(table.lineOf(row));
  }
  const shownColumn = read(shown.column);
  const sample = [...entries.values()]
    .sort((a, b) => b.rows - a.rows || a.row - b.row)
    .slice(0, SAMPLE_SIZE)
    .map(({ row, rows, parts: several, lines }): SampleRow => ({
      values: {
        [shown.name]: cellOf(shownColumn, row),
        ...(shownParts ? { [shownParts.name]: [...several].map(String).join(' · ') } : {}),
      },
      rows,
      ...(lines.length ? { lines } : {}),
    }));
  return { checked: table.rowCount, against, distinct: entries.size, ...(sample.length ? { sample } : {}) };
}

const cellOf = (column: Column, row: number): Cell =>
  toJson(column.valuesOf([column.codes[row]!])[0]!, column.type);

export const differingInSql: CountInSql<DifferingCount> = {
  whole: async (count, asker) => {
    const checked = await asker.rowCount(count.table);
    const rows = asker.on(count.table);
    const { torn, several } = tornGroups(rows, count);
    const { distinct, against } = await countGroups(asker, rows, torn);
    const sample = against === 0 ? [] : await sampleTorn(asker, count);
    const tally = { doubtful: several.length > 0 ? 1 : 0 };
    return { checked, against, distinct, ...(sample.length > 0 ? { sample } : {}), tally };
  },
};

/** Groups with parts that differ: `g0`, `g1`, … with their rows `n` and the `first` of them. */
function tornGroups(
  rows: RowsStatement,
  { group, parts, nullParts, certainly }: DifferingCount,
): { torn: string; where: string[]; several: string[] } {
  const named = (columns: typeof group, prefix: string): NamedValue[] =>
    columns.map((c, i) => ({ name: `${prefix}${i}`, ...rows.column(c) }));
  const [own, others] = [named(group, 'g'), named(parts, 'p')];
  const several = certainly ? rows.severalPartners([...group, ...parts]) : [];
  const where = [...own.map((v) => `${v.sql} is not null`), ...several.map((one) => `not (${one})`)];
  const columns = [...own, ...others, counting('n', 'count(*)'), counting('first', `min(${rows.rowId})`)];
  const grouped = [...own, ...others].map((_, i) => i + 1).join(', ');
  const pairs = rows.rows(columns, `where ${where.join(' and ')}\ngroup by ${grouped}`);
  const keys = own.map((v) => v.name).join(', ');
  const stands = nullParts === 'values' ? '1' : others.map((v) => `${v.name} is not null`).join(' and ');
  const each = nullParts === 'values' ? 'count(*)' : `count(case when ${stands} then 1 end)`;
  return {
    torn: `select ${keys}, sum(n) as n, min("first") as "first" from (${pairs}) p group by ${keys} having ${each} > 1`,
    where,
    several,
  };
}

/** The largest groups: what is shown of their first row, and the parts of all of them. */
async function sampleTorn(asker: RowsAsker, count: DifferingCount): Promise<SampleRow[]> {
  const { group, parts, nullParts, shown, shownParts } = count;
  const rows = asker.on(count.table);
  const { torn, where } = tornGroups(rows, count);
  const value = rows.column(shown.column);
  const label = shownParts && rows.column(shownParts.column);
  const stands =
    nullParts === 'values'
      ? rows.dialect.true
      : parts.map((c) => `${rows.column(c).sql} is not null`).join(' and ');
  const largest = rows.keptCte(
    'torn',
    `select t.*, row_number() over (order by n desc, "first") as place from (${torn}) t order by n desc, "first" limit ${SAMPLE_SIZE}`,
  );
  const on = group.map((c, i) => `torn.g${i} = ${rows.column(c).sql}`);
  rows.join(`join ${largest} torn on ${on.join(' and ')}`);
  const ofFirst = `case when ${rows.rowId} = torn."first" then ${value.sql} end`;
  const columns: NamedValue[] = [
    counting('place', 'torn.place'),
    counting('n', 'torn.n'),
    counting('stands', `case when ${stands} then 1 else 0 end`),
    { name: 'part', ...(label ?? { sql: rows.dialect.nullOf(TEXT), type: TEXT }) },
    { name: 'shown', sql: rows.dialect.extreme('max', ofFirst, value.type), type: value.type },
  ];
  const select = rows.rows(
    columns,
    `where ${where.join(' and ')}\ngroup by 1, 2, 3, 4\norder by 1, min(${rows.rowId})`,
  );
  const found = new Map<number, { shown: Cell; rows: number; parts: Set<Cell> }>();
  for (const [place, n, stood, part, first] of await asker.ask(rows.compiled(select, columns))) {
    const at = numberOf(place);
    const entry = found.get(at) ?? { shown: null, rows: numberOf(n), parts: new Set() };
    if (first !== null && first !== undefined) entry.shown = first;
    if (numberOf(stood) === 1) entry.parts.add(part ?? null);
    found.set(at, entry);
  }
  return [...found.values()].map((entry) => ({
    values: {
      [shown.name]: entry.shown,
      ...(shownParts ? { [shownParts.name]: [...entry.parts].map(String).join(' · ') } : {}),
    },
    rows: entry.rows,
  }));
}
