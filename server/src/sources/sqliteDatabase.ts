import Database from 'better-sqlite3';
import type { TableData } from '@crease/core/columns';
import { columnValues } from '@crease/core/columns';
import type { Model, Query, Table } from '@crease/core/model';
import { sameName } from '@crease/core/model';
import type { Answer, ModelData } from '@crease/core/query';
import { DataError } from '@crease/core/query';
import { answerOf, BEYOND_64_BITS, compileQuery, DOUBLE_DIGITS, quoted, sqlite } from '@crease/core/sql';
import { formatExact, toDouble } from '@crease/core/values';
import type { DataType, Exact, Value } from '@crease/core/values';

/** The most columns of a table of SQLite, as it is built by default. */
const MOST_COLUMNS = 2000;

/**
 * A database in memory with the columns that `crease ddl --dialect sqlite` makes; tables are loaded when they
 * are first asked for.
 */
export class SqliteDatabase {
  private readonly db = new Database(':memory:');
  private readonly loaded = new Set<string>();

  constructor(
    private readonly model: Model,
    private readonly rows: (table: string) => TableData,
  ) {
    knowLetters(this.db);
  }

  /**
   * Loads the stored rows of the tables that are not there yet, with an index on what relationships refer to.
   */
  load(tables: Iterable<string>): void {
    for (const name of tables) {
      if (this.loaded.has(name)) continue;
      this.loaded.add(name);
      this.loadTable(name);
    }
  }

  private loadTable(name: string): void {
    const table = this.model.tables.find((t) => sameName(t.name, name))!;
    const data = this.rows(table.name);
    const columns = [...data.columns.values()];
    if (columns.length > MOST_COLUMNS)
      throw new DataError(
        `${table.name} has ${columns.length} columns, and the SQL evaluator takes ${MOST_COLUMNS} at most: ask the columns evaluator`,
        { code: 'limit' },
      );
    const types = columns.map(
      (c) =>
        ({ decimal: '', integer: 'integer', boolean: 'integer', double: 'real' })[c.type.kind as string] ??
        'text',
    );
    this.db.exec(
      `create table ${quoted(table.name)} (${columns.map((c, i) => `${quoted(c.name)} ${types[i]}`).join(', ') || '"-" integer'})`,
    );
    const insert = this.db.prepare(
      `insert into ${quoted(table.name)} values (${columns.map(() => '?').join(', ') || 'null'})`,
    );
    const shown = columns.map((c) => columnValues(c).map((value) => storedInSqlite(value, c.type)));
    this.db.transaction(() => {
      for (let row = 0; row < data.rowCount; row++)
        insert.run(...columns.map((c, i) => shown[i]![c.codes[row]!]!));
    })();
    const referred = (this.model.relationships ?? [])
      .flatMap((r) => [r.to, r.from])
      .filter((end) => sameName(end.table, table.name));
    referred.forEach(({ columns: ends }, i) => {
      if (ends.every((end) => data.columns.has(end.toLowerCase())))
        this.db.exec(
          `create index ${quoted(`${table.name} ${i}`)} on ${quoted(table.name)} (${ends.map(quoted).join(', ')})`,
        );
    });
  }

  run(sql: string, parameters: readonly unknown[]): unknown[][] {
    return runSqlite(this.db, sql, parameters);
  }

  close(): void {
    this.db.close();
  }
}

/** SQLite's own upper and lower know ASCII only. */
export function knowLetters(db: Database.Database): void {
  db.function('upper', { deterministic: true }, (text) =>
    typeof text === 'string' ? text.toUpperCase() : text,
  );
  db.function('lower', { deterministic: true }, (text) =>
    typeof text === 'string' ? text.toLowerCase() : text,
  );
}

/** Rows as arrays; whole numbers as bigint, so that none is rounded. */
export function runSqlite(db: Database.Database, sql: string, parameters: readonly unknown[]): unknown[][] {
  const numbered = Object.fromEntries(parameters.map((value, i) => [String(i + 1), value]));
  const statement = db.prepare(sql).safeIntegers(true).raw(true);
  try {
    return (parameters.length === 0 ? statement.all() : statement.all(numbered)) as unknown[][];
  } catch (error) {
    if (error instanceof Database.SqliteError && error.message === 'integer overflow')
      throw new DataError(BEYOND_64_BITS);
    throw error;
  }
}

const LARGEST = 2n ** 63n - 1n;

/**
 * A value as SQLite holds it: decimals as doubles, or as text where a double has too few digits. Throws
 * DataError beyond 64 bits.
 */
export function storedInSqlite(value: Value, type: DataType): null | number | bigint | string {
  if (value === null || type.kind !== 'decimal') return sqlite.bound(value, type);
  const exact = BigInt(value);
  if (exact > LARGEST || exact < -LARGEST) throw new DataError(BEYOND_64_BITS);
  if (type.scale === 0) return exact;
  return type.precision <= DOUBLE_DIGITS
    ? toDouble(value as Exact, type.scale)
    : formatExact(value as Exact, type.scale);
}

/** Whether the rows at hand keep the key that the model may only claim. */
export function hasUniqueRows(data: ModelData, table: Table, names: readonly string[]): boolean {
  const columns = names.map((name) => data.column(table.name, name));
  const [first] = columns;
  if (columns.length === 1) return first!.distinct === first!.rowCount - first!.nulls;
  const seen = new Set<string>();
  for (let row = 0; row < first!.rowCount; row++) {
    const codes = columns.map((c) => c.codes[row]!);
    if (codes.includes(0)) continue; // a key with a null in it is nobody's partner
    const key = codes.join(' ');
    if (seen.has(key)) return false;
    seen.add(key);
  }
  return true;
}

/**
 * Answers a query in SQL on a database loaded with the model's tables. Throws QueryError as the columns
 * engine does.
 */
export function answerInSqlite(data: ModelData, query: Query, mostRows = Infinity): Answer {
  const isUnique = (table: Table, columns: readonly string[]) => hasUniqueRows(data, table, columns);
  const compiled = compileQuery(
    { model: data.model, checker: data.checker, today: data.today, isUnique },
    query,
    sqlite,
    true,
  );
  const queries = [compiled.rows, compiled.totals, ...(compiled.subtotals ?? []).map((s) => s.query)];
  const tables = new Set(queries.flatMap((one) => [...(one?.tables ?? [])]));
  const rows = [...tables].reduce((n, table) => n + data.rowCount(table), 0);
  if (rows > mostRows) throw new DataError(`it reads ${rows} rows, and SQL is asked up to ${mostRows} here`);
  const database = new SqliteDatabase(data.model, (name) => data.table(name));
  try {
    database.load(tables);
    return answerOf(compiled, sqlite, (sql, parameters) => database.run(sql, parameters));
  } finally {
    database.close();
  }
}
