import Database from 'better-sqlite3';
import type { SqlDesign } from '@crease/contract';
import type { CreateColumnDef, DataTypeDef, QName, Statement, TableConstraint } from 'pgsql-ast-parser';
import { parse } from 'pgsql-ast-parser';
import type { ModelColumn, Relationship, Table } from '@crease/core/model';
import { freeName, sameName } from '@crease/core/model';
import type { SqlStatement } from './sqlStatements.ts';
import { statementsOf } from './sqlStatements.ts';

/** A table as it is declared, before it is known how others refer to it. */
interface Declared {
  readonly schema: string | undefined;
  readonly name: string;
  readonly line: number;
  readonly columns: ModelColumn[];
  key: string[];
  readonly references: Reference[];
  description?: string;
}
interface Reference {
  readonly name: string | undefined;
  readonly columns: readonly string[];
  readonly to: { readonly schema: string | undefined; readonly table: string };
  /** Empty where it is the key that is referred to. */
  readonly key: readonly string[];
}

/**
 * Reads the `CREATE TABLE` statements of a SQL file, with keys, references and comments: PostgreSQL and the
 * standard by a parser, what it does not take by SQLite itself, in memory. Other statements are passed over.
 */
export function designOfSql(sql: string): SqlDesign {
  const tables: Declared[] = [];
  const notes: { line: number; text: string }[] = [];
  for (const statement of statementsOf(sql)) {
    if (
      !/^(create\s+(temp\w*\s+|global\s+|local\s+|unlogged\s+)*table|alter\s+table|comment\s+on)\b/i.test(
        statement.text,
      )
    )
      continue;
    try {
      const read = byParser(statement);
      if (read) for (const s of read) apply(tables, s, statement.line, notes);
      else if (OF_QUERY.test(statement.text))
        notes.push({ line: statement.line, text: 'not read: it makes a table of a query' });
      else if (/^create/i.test(statement.text)) tables.push(bySqlite(statement));
    } catch (error) {
      notes.push({ line: statement.line, text: `not read: ${firstLine(error)}` });
    }
  }
  return design(tables, notes);
}

/** A table that is made of a query: SQLite would run it, for as long as it likes. */
const OF_QUERY = /^[^(]*\sas\s/i;

const firstLine = (error: unknown): string =>
  (error instanceof Error ? error.message : String(error)).split('\n')[0]!;

/** Stands for the key of the table that is referred to, which the parser wants to be named. */
const ITS_KEY = 'the key of that table';
const KEYLESS = /\breferences\s+((?:"[^"]+"|\w+)(?:\s*\.\s*(?:"[^"]+"|\w+))?)(?!\s*\(|[\w."])/gi;

/** What the parser makes of a statement; undefined where it does not take it. */
function byParser({ text }: SqlStatement): Statement[] | undefined {
  for (const written of [text, text.replace(KEYLESS, `references $1("${ITS_KEY}")`)])
    try {
      return parse(written);
    } catch {
      // The other way of writing it is tried, then the other reader.
    }
  return undefined;
}

function apply(
  tables: Declared[],
  s: Statement,
  line: number,
  notes: { line: number; text: string }[],
): void {
  if (s.type === 'create table') tables.push(declared(s, line));
  else if (s.type === 'alter table') {
    const table = tables.find((t) => isNamed(t, s.table));
    for (const change of s.changes) {
      if (change.type !== 'add constraint') continue;
      if (table) constrain(table, change.constraint);
      else notes.push({ line, text: `no table ${s.table.name} was created before` });
    }
  } else if (s.type === 'comment') comment(tables, s);
}

const isNamed = (t: Declared, { schema, name }: QName): boolean =>
  sameName(t.name, name) && (schema === undefined || t.schema === undefined || sameName(t.schema, schema));

function declared(s: Extract<Statement, { type: 'create table' }>, line: number): Declared {
  const table: Declared = {
    schema: s.name.schema,
    name: s.name.name,
    line,
    columns: [],
    key: [],
    references: [],
  };
  for (const column of s.columns) {
    if (column.kind !== 'column') continue;
    table.columns.push(columnOf(column));
    for (const constraint of column.constraints ?? []) {
      if (constraint.type === 'primary key') table.key = [column.name.name];
      if (constraint.type === 'reference')
        table.references.push(referenceOf(undefined, [column.name.name], constraint));
    }
  }
  for (const constraint of s.constraints ?? []) constrain(table, constraint);
  return table;
}

function constrain(table: Declared, constraint: TableConstraint): void {
  if (constraint.type === 'primary key') table.key = constraint.columns.map((c) => c.name);
  if (constraint.type === 'foreign key')
    table.references.push(
      referenceOf(
        constraint.constraintName?.name,
        constraint.localColumns.map((c) => c.name),
        constraint,
      ),
    );
}

const referenceOf = (
  name: string | undefined,
  columns: readonly string[],
  { foreignTable, foreignColumns }: { foreignTable: QName; foreignColumns: { name: string }[] },
): Reference => ({
  name,
  columns,
  to: { schema: foreignTable.schema, table: foreignTable.name },
  key: foreignColumns.map((c) => c.name).filter((name) => name !== ITS_KEY),
});

function comment(tables: Declared[], { on, comment: text }: Extract<Statement, { type: 'comment' }>): void {
  if (on.type === 'table') {
    const table = tables.find((t) => isNamed(t, on.name));
    if (table) table.description = text;
  } else if (on.type === 'column') {
    const { schema, table: name, column } = on.column;
    const table = tables.find((t) => isNamed(t, { name, ...(schema === undefined ? {} : { schema }) }));
    const at = table?.columns.findIndex((c) => sameName(c.name, column)) ?? -1;
    if (table && at >= 0) table.columns[at] = { ...table.columns[at]!, description: text };
  }
}

function columnOf({ name, dataType, constraints }: CreateColumnDef): ModelColumn {
  const { type, length, serial } = typeOf(dataType);
  const identity = serial || (constraints ?? []).some((c) => c.type === 'add generated');
  return {
    name: name.name,
    type,
    ...(length === undefined ? {} : { length }),
    ...(identity ? { identity: true } : {}),
  };
}

interface OfType {
  readonly type: string;
  readonly length?: number;
  readonly serial: boolean;
}

const typeOf = (def: DataTypeDef): OfType =>
  def.kind === 'array'
    ? { type: 'text', serial: false }
    : typeNamed(def.name, (def.config ?? []).map(Number));

/** The most digits that a decimal of a model has. */
const DIGITS = 38;
/** Digits behind the point of a number that declares none. */
const USUAL_SCALE = 4;

/** A type of the model for one of a database; what the model has no type for is text. */
function typeNamed(written: string, config: readonly number[]): OfType {
  const name = written.toLowerCase().replace(/\s+/g, ' ');
  const plain = (type: string): OfType => ({ type, serial: false });
  if (/^(small|big)?serial\d?$/.test(name)) return { type: 'integer', serial: true };
  if (/^(tinyint|smallint|mediumint|int|integer|bigint|int2|int4|int8|year)$/.test(name))
    return plain('integer');
  if (/^(numeric|decimal|dec|number)$/.test(name)) {
    const [precision, scale] = config;
    if (precision === undefined) return plain(`decimal(18,${USUAL_SCALE})`);
    if ((scale ?? 0) === 0 && precision <= 18) return plain('integer');
    return plain(`decimal(${Math.min(DIGITS, precision)},${scale ?? 0})`);
  }
  if (/money$/.test(name)) return plain('decimal(19,2)');
  if (/^(real|double|double precision|float|float4|float8)$/.test(name)) return plain('double');
  if (/^(bool|boolean|bit)$/.test(name)) return plain('boolean');
  if (name === 'date') return plain('date');
  if (/^(timestamp|datetime|smalldatetime)/.test(name)) return plain('timestamp');
  const isText = /char|^string$/.test(name);
  return { type: 'text', serial: false, ...(isText && config[0]! > 0 ? { length: config[0]! } : {}) };
}

interface ColumnInfo {
  readonly name: string;
  readonly type: string;
  readonly pk: number;
}
interface ForeignKeyInfo {
  readonly id: number;
  readonly table: string;
  readonly from: string;
  readonly to: string | null;
}

/** A table as SQLite itself reads its statement, in a database in memory that holds nothing else. */
function bySqlite({ text, line }: SqlStatement): Declared {
  const db = new Database(':memory:');
  try {
    db.prepare(text).run();
    const { name } = db
      .prepare(`select name from sqlite_master where type = 'table' and name not like 'sqlite_%'`)
      .get() as {
      name: string;
    };
    const infos = db.prepare('select name, type, pk from pragma_table_info(?)').all(name) as ColumnInfo[];
    const key = infos
      .filter((c) => c.pk > 0)
      .sort((a, b) => a.pk - b.pk)
      .map((c) => c.name);
    const columns = infos.map((c): ModelColumn => {
      const [, written, config] = /^([^(]*)(?:\(([^)]*)\))?/.exec(c.type)!;
      const { type, length } = typeNamed(
        written!.trim(),
        (config ?? '').split(',').filter(Boolean).map(Number),
      );
      const counts = key.length === 1 && key[0] === c.name && /autoincrement/i.test(text);
      return {
        name: c.name,
        type,
        ...(length === undefined ? {} : { length }),
        ...(counts ? { identity: true } : {}),
      };
    });
    const ends = db
      .prepare('select id, "table", "from", "to" from pragma_foreign_key_list(?) order by id, seq')
      .all(name) as ForeignKeyInfo[];
    const ids = [...new Set(ends.map((e) => e.id))].reverse();
    const references = ids.map((id): Reference => {
      const own = ends.filter((e) => e.id === id);
      return {
        name: undefined,
        columns: own.map((e) => e.from),
        to: { schema: undefined, table: own[0]!.table },
        key: own.flatMap((e) => e.to ?? []),
      };
    });
    return { schema: undefined, name, line, columns, key, references };
  } finally {
    db.close();
  }
}

/** Names, roles and uses, once all tables are known. */
function design(declaredTables: readonly Declared[], notes: { line: number; text: string }[]): SqlDesign {
  const named = new Map<Declared, string>();
  const names: { name: string }[] = [];
  for (const t of declaredTables) {
    // Of two schemas' tables of one name each says its schema.
    const twice = declaredTables.some((other) => other !== t && sameName(other.name, t.name));
    const name = freeName(twice && t.schema !== undefined ? `${t.schema}_${t.name}` : t.name, names);
    names.push({ name });
    named.set(t, name);
  }
  const relationships: Relationship[] = [];
  for (const from of declaredTables)
    for (const r of from.references) {
      const to = declaredTables.find((t) =>
        isNamed(t, { name: r.to.table, ...(r.to.schema === undefined ? {} : { schema: r.to.schema }) }),
      );
      const key = r.key.length > 0 ? r.key : (to?.key ?? []);
      if (!to || key.length !== r.columns.length) {
        notes.push({
          line: from.line,
          text: `${from.name} refers to ${r.to.table}, which is not created here`,
        });
        continue;
      }
      const isDefault =
        to !== from &&
        !relationships.some((x) => x.from.table === named.get(from) && x.to.table === named.get(to));
      relationships.push({
        name: freeName(
          r.name ?? `${named.get(from)!}_${isDefault ? named.get(to)! : r.columns.join('_')}`,
          relationships,
        ),
        from: { table: named.get(from)!, columns: [...r.columns] },
        to: { table: named.get(to)!, columns: [...key] },
        ...(isDefault ? {} : { default: false }),
      });
    }
  const ends = (t: Declared) => ({
    out: relationships.filter((r) => r.from.table === named.get(t)),
    into: relationships.filter((r) => r.to.table === named.get(t) && r.from.table !== named.get(t)),
  });
  const refersBy = (t: Declared) =>
    new Set(ends(t).out.flatMap((r) => r.from.columns.map((c) => c.toLowerCase())));
  const isBridge = (t: Declared): boolean =>
    t.key.length > 1 &&
    t.columns.length <= t.key.length + 1 &&
    t.key.every((k) => refersBy(t).has(k.toLowerCase()));
  const bridges = new Set(declaredTables.filter(isBridge).map((t) => named.get(t)));
  const roleOf = (t: Declared): Table['role'] => {
    const { out, into } = ends(t);
    if (bridges.has(named.get(t))) return 'bridge';
    // What a bridge leads to may be either: the bridge alone makes no dimension of it.
    const isReferred = into.some((r) => !bridges.has(r.from.table));
    return !isReferred && out.some((r) => r.to.table !== r.from.table) ? 'fact' : 'dimension';
  };
  const tables = declaredTables.map((t): Table => {
    const refers = refersBy(t);
    const role = roleOf(t);
    return {
      name: named.get(t)!,
      role,
      ...(t.description === undefined ? {} : { description: t.description }),
      ...(t.key.length > 0 ? { key: t.key } : {}),
      columns: t.columns.map((c) => ({ ...c, use: useOf(c, t.key, refers, role) })),
    };
  });
  return { tables, relationships, notes: [...notes].sort((a, b) => a.line - b.line) };
}

function useOf(
  c: ModelColumn,
  key: readonly string[],
  refers: ReadonlySet<string>,
  role: Table['role'],
): NonNullable<ModelColumn['use']> {
  if (key.some((k) => sameName(k, c.name)) && (key.length === 1 || !refers.has(c.name.toLowerCase())))
    return 'key';
  if (refers.has(c.name.toLowerCase())) return 'reference';
  return role === 'fact' && (c.type.startsWith('decimal') || c.type === 'double') ? 'quantity' : 'attribute';
}
