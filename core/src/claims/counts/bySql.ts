import type { Relationship } from '../../model/index.ts';
import type { Json } from '../../query/index.ts';
import type { CompiledRows, NamedValue, RowsStatement } from '../../sql/index.ts';
import { counting, countWhere, quoted } from '../../sql/index.ts';
import type { SampleRow } from '../evidence.ts';
import { SAMPLE_SIZE } from '../evidence.ts';
import type { Count, Counted } from './count.ts';

/** Asks a database: statements on rows of the model's tables, one after the other or several at once. */
export interface RowsAsker {
  /** A new statement on the rows of a table. */
  on(table: string): RowsStatement;
  /** Runs a statement; cells are as answers have them. Throws DataError for what the database refuses. */
  ask(statement: CompiledRows): Promise<readonly (readonly Json[])[]>;
  /** How many rows a table has; counted once. */
  rowCount(table: string): Promise<number>;
  /** Relationships along which rows were looked up since this was asked last. */
  lookups(): ReadonlySet<Relationship>;
}

/** What was counted, and along which relationships rows were looked up for it. */
export interface CountedBySql {
  readonly result: Counted | Error;
  readonly followed: ReadonlySet<Relationship>;
}

/** What is counted of each row by itself, so that one pass over a table serves several counts. */
export interface RowCondition {
  /** Rows that can speak against the claim; missing where all can. */
  readonly checked?: string;
  readonly against: string;
  /** What a sample shows of them, grouped. */
  readonly shown: readonly NamedValue[];
  /** What a sample is ordered by before the number of rows, descending. */
  readonly worst?: string;
}

/** How a kind of count is put in SQL. */
export type CountInSql<C extends Count> =
  | { readonly each: (count: C, rows: RowsStatement) => RowCondition }
  | { readonly whole: (count: C, asker: RowsAsker) => Promise<Counted> };

export const numberOf = (cell: Json | undefined): number => Number(cell ?? 0);

/** Counts of the same table in one pass over its rows. */
export async function countEach<C extends Count>(
  counts: readonly C[],
  each: (count: C, rows: RowsStatement) => RowCondition,
  asker: RowsAsker,
): Promise<CountedBySql[]> {
  const rows = asker.on(counts[0]!.table);
  const conditions = counts.map((count) => {
    const condition = each(count, rows);
    return { ...condition, followed: asker.lookups() };
  });
  const columns = [
    counting('n', 'count(*)'),
    ...conditions.flatMap(({ checked, against }, i) => [
      counting(`c${i}`, checked === undefined ? 'count(*)' : countWhere(checked)),
      counting(`a${i}`, countWhere(against)),
    ]),
  ];
  const [found] = await asker.ask(rows.compiled(rows.rows(columns), columns));
  const counted: CountedBySql[] = [];
  for (const [i, count] of counts.entries()) {
    const [checked, against] = [numberOf(found![1 + 2 * i]), numberOf(found![2 + 2 * i])];
    const sample = against === 0 ? {} : await sampleOf(asker, count.table, (own) => each(count, own));
    counted.push({ result: { checked, against, ...sample }, followed: conditions[i]!.followed });
  }
  return counted;
}

/** The most frequent of what speaks against a claim, and how many different values there are. */
async function sampleOf(
  asker: RowsAsker,
  table: string,
  condition: (rows: RowsStatement) => RowCondition,
): Promise<Pick<Counted, 'distinct' | 'sample'>> {
  const rows = asker.on(table);
  const { against, shown, worst } = condition(rows);
  const columns = [
    ...shown,
    counting('n', 'count(*)'),
    counting('d', 'count(*) over ()'),
    ...(worst === undefined ? [] : [counting('w', `max(${worst})`)]),
  ];
  const order = `${worst === undefined ? '' : 'w desc, '}n desc, min(${rows.rowId})`;
  const grouped = shown.map((_, i) => i + 1).join(', ');
  const select = rows.rows(
    columns,
    `where ${against}\ngroup by ${grouped}\norder by ${order}\nlimit ${SAMPLE_SIZE}`,
  );
  const found = await asker.ask(rows.compiled(select, columns));
  return {
    distinct: numberOf(found[0]?.[shown.length + 1]),
    sample: found.map((row) => ({
      values: valuesOf(shown, row),
      rows: numberOf(row[shown.length]),
    })),
  };
}

/** The first cells of a row under the names of the values that they are of. */
export const valuesOf = (
  shown: readonly { readonly name: string }[],
  row: readonly Json[],
): SampleRow['values'] => Object.fromEntries(shown.map(({ name }, i) => [name, row[i] ?? null]));

/** Groups of rows that stand for one value of a claim each: their columns, `n` rows, the `first` of them. */
export function groupsOf(
  rows: RowsStatement,
  keys: readonly NamedValue[],
  { where, having }: { where: readonly string[]; having: string },
): string {
  const columns = [
    ...keys,
    counting('n', 'count(*)'),
    { name: 'first', sql: `min(${rows.rowId})`, type: keys[0]!.type },
  ];
  const filter = where.length > 0 ? `where ${where.join(' and ')}\n` : '';
  const grouped = keys.length > 0 ? `group by ${keys.map((_, i) => i + 1).join(', ')}\n` : '';
  return rows.rows(columns, `${filter}${grouped}having ${having}`);
}

/** The numbers of such groups: how many there are, and how many rows they have. */
export async function countGroups(
  asker: RowsAsker,
  rows: RowsStatement,
  groups: string,
): Promise<{ distinct: number; against: number }> {
  const columns = [counting('d', 'count(*)'), counting('n', 'coalesce(sum(n), 0)')];
  const select = `select ${columns.map((c) => `${c.sql} as ${quoted(c.name)}`).join(', ')} from (${groups}) g`;
  const [row] = await asker.ask(rows.compiled(select, columns));
  return { distinct: numberOf(row![0]), against: numberOf(row![1]) };
}

/** The largest of such groups as a sample. */
export async function sampleGroups(
  asker: RowsAsker,
  rows: RowsStatement,
  groups: string,
  keys: readonly NamedValue[],
): Promise<SampleRow[]> {
  const names = keys.map((k) => quoted(k.name)).join(', ');
  const select = `select ${names}, n from (${groups}) g order by n desc, "first" limit ${SAMPLE_SIZE}`;
  const found = await asker.ask(rows.compiled(select, [...keys, counting('n', 'n')]));
  return found.map((row) => ({ values: valuesOf(keys, row), rows: numberOf(row[keys.length]) }));
}
