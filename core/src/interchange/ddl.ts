import type { DataType } from '../values/index.ts';
import { parseType, TEXT } from '../values/index.ts';
import type { Model, ModelColumn, Relationship, Table } from '../model/index.ts';
import { cardinalityOf, sameName } from '../model/index.ts';

export type Dialect = 'postgresql' | 'sqlite';
export const DDL_DIALECTS: readonly Dialect[] = ['postgresql', 'sqlite'];

const TYPES: Record<Dialect, (type: DataType) => string> = {
  postgresql: (type) => {
    switch (type.kind) {
      case 'integer':
        return 'bigint';
      case 'decimal':
        return `numeric(${type.precision}, ${type.scale})`;
      case 'double':
        return 'double precision';
      default:
        return type.kind;
    }
  },
  // SQLite keeps a declared type's affinity; dates and moments are ISO 8601 texts.
  sqlite: (type) =>
    ({
      integer: 'integer',
      decimal: 'numeric',
      double: 'real',
      text: 'text',
      boolean: 'integer',
      date: 'text',
      timestamp: 'text',
    })[type.kind],
};

/** SQLite takes texts of any length, whatever is declared. */
const typeText = ({ type, length }: ModelColumn, dialect: Dialect): string =>
  type === 'text' && length !== undefined && dialect === 'postgresql'
    ? `varchar(${length})`
    : TYPES[dialect](parseType(type) ?? TEXT);

const quote = (name: string): string => `"${name.replaceAll('"', '""')}"`;
const list = (names: readonly string[]): string => names.map(quote).join(', ');

/**
 * Columns of a table that others refer to, beside its key: they need to be unique for a foreign key to point
 * at them.
 */
function referredKeys(model: Model, table: Table): string[][] {
  const found = foreignKeys(model)
    .filter((r) => sameName(r.to.table, table.name) && !sameColumns(r.to.columns, table.key ?? []))
    .map((r) => [...r.to.columns]);
  return found.filter((columns, i) => found.findIndex((other) => sameColumns(other, columns)) === i);
}

const sameColumns = (a: readonly string[], b: readonly string[]): boolean =>
  a.length === b.length && a.every((name) => b.some((other) => sameName(other, name)));

/** Relationships that a database can hold: many-to-one and one-to-one between tables that are built. */
function foreignKeys(model: Model): Relationship[] {
  const built = new Set(builtTables(model).map((t) => t.name.toLowerCase()));
  return (model.relationships ?? []).filter(
    (r) =>
      ['many-to-one', 'one-to-one'].includes(cardinalityOf(r)) &&
      built.has(r.from.table.toLowerCase()) &&
      built.has(r.to.table.toLowerCase()),
  );
}

const builtTables = (model: Model): Table[] => model.tables.filter((t) => t.role !== 'staging');

/**
 * `CREATE TABLE` statements with keys and foreign keys, tables before those that refer to them. Names are
 * always quoted. In PostgreSQL the foreign keys follow, so that tables may refer to each other in a circle
 * and data may be loaded in between.
 */
export function createTables(model: Model, dialect: Dialect): string {
  const tables = inOrder(model);
  const references = foreignKeys(model);
  const statements = tables.map((table) => {
    const lines = table.columns.map(
      (c) =>
        `${quote(c.name)} ${typeText(c, dialect)}${(table.key ?? []).some((k) => sameName(k, c.name)) ? ' not null' : ''}`,
    );
    if (table.key?.length) lines.push(`primary key (${list(table.key)})`);
    for (const columns of referredKeys(model, table)) lines.push(`unique (${list(columns)})`);
    if (dialect === 'sqlite')
      for (const r of references.filter((x) => sameName(x.from.table, table.name))) lines.push(foreignKey(r));
    const comment = table.grain ? `-- ${table.grain.replaceAll('\n', ' ')}\n` : '';
    return `${comment}create table ${quote(table.name)} (\n  ${lines.join(',\n  ')}\n);`;
  });
  const later =
    dialect === 'postgresql'
      ? references.map((r) => `alter table ${quote(r.from.table)} add ${foreignKey(r)};`)
      : [];
  return `${[...statements, ...later].join('\n\n')}\n`;
}

const foreignKey = (r: Relationship): string =>
  `constraint ${quote(r.name)} foreign key (${list(r.from.columns)}) references ${quote(r.to.table)} (${list(r.to.columns)})`;

/** Tables that are referred to come first; those in a circle keep the model's order. */
function inOrder(model: Model): Table[] {
  const tables = builtTables(model);
  const references = foreignKeys(model);
  const done: Table[] = [];
  const open = new Set<string>();
  const visit = (table: Table) => {
    if (done.includes(table) || open.has(table.name)) return;
    open.add(table.name);
    for (const r of references) {
      if (!sameName(r.from.table, table.name)) continue;
      const to = tables.find((t) => sameName(t.name, r.to.table));
      if (to) visit(to);
    }
    open.delete(table.name);
    done.push(table);
  };
  tables.forEach(visit);
  return done;
}
