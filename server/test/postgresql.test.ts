import type { DataType, Value } from '@crease/core/values';
import { toText } from '@crease/core/values';
import { columnValues } from '@crease/core/columns';
import { FUNCTIONS } from '@crease/core/formula';
import type { Model, Query } from '@crease/core/model';
import { readModel } from '@crease/core/model';
import { answerQuery, DataError, ModelData } from '@crease/core/query';
import { compileQuery, postgresql, quoted, withMembers } from '@crease/core/sql';
import { columnOfValues, tableOf } from '@crease/core/columns';
import { INTEGER } from '@crease/core/values';
import { dataOf, isSame, makeCase } from './fuzz/compare.ts';
import type { Cluster } from './postgresql.ts';
import { startPostgresql } from './postgresql.ts';

let cluster: Cluster;
beforeAll(async () => void (cluster = await startPostgresql()), 120_000);
afterAll(() => cluster?.stop(), 60_000);

const typeText = (type: DataType): string =>
  type.kind === 'decimal'
    ? `numeric(${type.precision}, ${type.scale})`
    : ({ integer: 'bigint', double: 'double precision' }[type.kind as string] ?? type.kind);

/** Makes the rows of a table those of the session. */
async function lay(data: ModelData, name: string): Promise<void> {
  const table = data.modelTable(name);
  const rows = data.table(table.name);
  const columns = [...rows.columns.values()];
  const literal = (value: Value, type: DataType) =>
    value === null ? 'null' : `'${toText(value, type).replaceAll("'", "''")}'`;
  const inserted = Array.from(
    { length: rows.rowCount },
    (_, row) => `(${columns.map((c) => literal(columnValues(c)[c.codes[row]!]!, c.type)).join(', ')})`,
  );
  await cluster.client.query(
    `create temp table ${quoted(table.name)} (${columns.map((c) => `${quoted(c.name)} ${typeText(c.type)}`).join(', ')});` +
      (inserted.length > 0 ? `insert into ${quoted(table.name)} values ${inserted.join(', ')};` : ''),
  );
}

/** What PostgreSQL answers to a query, as the columns engine would show it. */
async function answerInPostgresql(data: ModelData, query: Query): Promise<readonly (readonly unknown[])[]> {
  const isUnique = (table: { name: string }, columns: readonly string[]) => {
    const column = data.column(table.name, columns[0]!);
    return columns.length === 1 && column.distinct === column.rowCount - column.nulls;
  };
  const compiled = compileQuery(
    { model: data.model, checker: data.checker, today: data.today, isUnique },
    query,
    postgresql,
    true,
  );
  await cluster.client.query('discard temp');
  for (const name of compiled.rows.tables) await lay(data, name);
  const { rows } = await cluster.client.query<(string | null)[]>({
    text: compiled.rows.sql,
    values: compiled.rows.parameters.map((p) => postgresql.bound(p.value, p.type)),
    rowMode: 'array',
    types: { getTypeParser: () => (text: string) => text },
  });
  return rows.map((row) => withMembers(row, compiled.rows, compiled.byCount - 1));
}

/** Texts of the database and values of an answer in one form. */
function plain(rows: readonly (readonly unknown[])[], types: readonly string[]): unknown[][] {
  return rows.map((row) =>
    row.map((value, i) => {
      if (value === null || typeof value === 'object') return value;
      if (/^(decimal|integer|double)/.test(types[i]!)) return Number(value);
      if (types[i] === 'boolean') return value === true || value === 't';
      return types[i] === 'timestamp' ? String(value).replace(' ', 'T') : value;
    }),
  );
}

test('PostgreSQL answers random questions as the columns engine does', async () => {
  let compared = 0;
  for (let seed = 1; seed <= 160; seed++) {
    const kase = makeCase(seed);
    const data = dataOf(kase);
    const { query, formula } = kase.question;
    const wrong = (query.filters ?? []).some((f) => 'where' in f && !data.checker.condition(f.where).typed);
    if (wrong || !data.checker.measure('Asked')!.typed) continue;
    let expected;
    try {
      expected = answerQuery(data, query);
    } catch (error) {
      if (error instanceof DataError) continue;
      throw error;
    }
    const types = expected.columns.map(({ type }) => type);
    const found = plain(await answerInPostgresql(data, query), types);
    compared++;
    if (!isSame(found, plain(expected.rows, types)))
      throw new Error(
        `seed ${seed}: ${formula}\n${JSON.stringify(query)}\ncolumns ${JSON.stringify(expected.rows)}\nPostgreSQL ${JSON.stringify(found)}`,
      );
  }
  expect(compared).toBeGreaterThan(60);
});

describe('every function gives in PostgreSQL what its example says', () => {
  test.each(FUNCTIONS.map((f) => [f.name, f.example.formula] as const))('%s: %s', async (_name, formula) => {
    const model: Model = readModel(
      JSON.stringify({
        crease: 1,
        name: 'm',
        asOf: '2026-01-01',
        tables: [{ name: 'one', role: 'fact', columns: [{ name: 'n', type: 'integer' }] }],
        measures: [{ name: 'M', formula: `only(case when one.n = 1 then ${formula} end) from one` }],
      }),
    );
    const data = new ModelData(model, () => tableOf('one', [columnOfValues('n', INTEGER, [1])]), 20_454);
    const expected = answerQuery(data, { measures: ['M'] });
    const types = expected.columns.map(({ type }) => type);
    expect(
      isSame(plain(await answerInPostgresql(data, { measures: ['M'] }), types), plain(expected.rows, types)),
    ).toBe(true);
  });
});
