import type { DatabaseTable } from '@crease/contract';
import type { Model, ModelColumn, Relationship, Table } from '@crease/core/model';
import { freeName, isTableOf, sameName } from '@crease/core/model';
import { formatType, TEXT } from '@crease/core/values';
import type { DatabaseReader, TableName } from '../databases/reader.ts';
import { DatabaseError, tableText } from '../databases/reader.ts';
import type { Origin } from './uploads.ts';

/** The source of a table that comes from a database. */
export const connectionSource = ({
  connection,
  schema,
  table,
}: Pick<Origin, 'connection' | 'schema' | 'table'>) => ({
  connection,
  ...(schema === undefined ? {} : { schema }),
  table,
});

/**
 * The model with tables of a connection that are passed through: their columns with the types that the
 * database declares, and its keys, references and comments. A table that the model has already is left alone.
 */
export async function withPassedTables(
  model: Model,
  connection: string,
  reader: Pick<DatabaseReader, 'tables' | 'about'>,
  wanted: readonly TableName[],
): Promise<Model> {
  const declared = await reader.tables();
  let next = model;
  for (const name of wanted) {
    const found = declared.find(
      (d) => d.table === name.table && (name.schema === undefined || d.schema === name.schema),
    );
    if (!found) throw new DatabaseError(`${connection} has no table ${tableText(name)} any more`);
    if (!found.readable) throw new DatabaseError(`the account may not read ${tableText(name)}`);
    if (next.tables.some((t) => isTableOf(t, connection, found))) continue;
    const schema = found.schema ?? undefined;
    const { columns } = await reader.about({
      ...(schema === undefined ? {} : { schema }),
      table: found.table,
    });
    const table: Table = {
      name: freeName(found.table, next.tables),
      role: 'staging',
      source: connectionSource({ connection, schema, table: found.table }),
      held: false,
      columns: columns.map((c): ModelColumn => ({
        name: c.name,
        type: formatType(c.type ?? TEXT),
        use: 'attribute',
      })),
    };
    next = { ...next, tables: [...next.tables, table] };
  }
  return asDeclared(next, connection, declared);
}

/**
 * What a database declares: keys, where the model has none; foreign keys between tables of the model as
 * relationships, those of a table to itself as trees; comments as descriptions.
 */
export function asDeclared(model: Model, connection: string, declared: readonly DatabaseTable[]): Model {
  const tableOf = (schema: string | null, table: string) =>
    model.tables.find((t) => isTableOf(t, connection, { schema, table }));
  const nameIn = (table: Table, column: string) =>
    table.columns.find((c) => (c.sourceName ?? c.name) === column)?.name;
  const allIn = (table: Table, columns: readonly string[]): string[] | undefined => {
    const names = columns.map((c) => nameIn(table, c));
    return names.length > 0 && names.every((n) => n !== undefined) ? names : undefined;
  };
  const keys = new Map<Table, string[]>();
  const uses = new Map<Table, Map<string, 'key' | 'reference'>>();
  const use = (table: Table, names: readonly string[], as: 'key' | 'reference') => {
    const known = uses.get(table) ?? new Map<string, 'key' | 'reference'>();
    for (const name of names) if (!known.has(name)) known.set(name, as);
    uses.set(table, known);
  };
  const relationships: Relationship[] = [...(model.relationships ?? [])];
  const trees: { table: Table; parent: string }[] = [];
  const comments = new Map<Table, DatabaseTable>();
  for (const d of declared) {
    const from = tableOf(d.schema, d.table);
    if (!from) continue;
    comments.set(from, d);
    const key = allIn(from, d.key);
    if (key && (from.key ?? []).length === 0) {
      keys.set(from, key);
      use(from, key, 'key');
    }
    for (const reference of d.references) {
      const to = tableOf(reference.schema, reference.table);
      const [own, theirs] = [allIn(from, reference.columns), to && allIn(to, reference.toColumns)];
      if (!to || !own || !theirs) continue;
      use(from, own, 'reference');
      if (to === from) {
        // What leads to its own table is a tree: as a relationship it would be no way to anywhere.
        if (own.length === 1 && key?.join() === theirs.join()) trees.push({ table: from, parent: own[0]! });
        continue;
      }
      const same = (a: readonly string[], b: readonly string[]) =>
        a.length === b.length && a.every((x, i) => sameName(x, b[i]!));
      if (
        relationships.some(
          (r) =>
            sameName(r.from.table, from.name) && sameName(r.to.table, to.name) && same(r.from.columns, own),
        )
      )
        continue;
      const wanted = [`${from.name}_${to.name}`, `${from.name}_${own.join('_')}`];
      const name =
        wanted.find((n) => !relationships.some((r) => sameName(r.name, n))) ??
        `${wanted[1]}_${relationships.length}`;
      // A second way to the same table is not the default one: that is for a person to say.
      const second = relationships.some(
        (r) => sameName(r.from.table, from.name) && sameName(r.to.table, to.name) && r.default !== false,
      );
      relationships.push({
        name,
        from: { table: from.name, columns: own },
        to: { table: to.name, columns: theirs },
        cardinality: 'many-to-one',
        ...(second ? { default: false } : {}),
      });
    }
  }
  const tables = model.tables.map((t) => {
    const [key, found, told] = [keys.get(t), uses.get(t), comments.get(t)];
    if (!key && !found && !told) return t;
    // Only what nobody has said otherwise is changed.
    const columns = t.columns.map((c) => {
      const comment = told?.comments[c.sourceName ?? c.name];
      return {
        ...c,
        ...(c.use === 'attribute' && found?.has(c.name) ? { use: found.get(c.name)! } : {}),
        ...(c.description === undefined && comment !== undefined ? { description: comment } : {}),
      };
    });
    const comment = told?.comment ?? undefined;
    return {
      ...t,
      ...(key ? { key } : {}),
      ...(t.description === undefined && comment !== undefined ? { description: comment } : {}),
      columns,
    };
  });
  const hierarchies = [...(model.hierarchies ?? [])];
  for (const { table, parent } of trees) {
    const isKnown = hierarchies.some(
      (h) => sameName(h.table, table.name) && h.parent !== undefined && sameName(h.parent, parent),
    );
    if (!isKnown) hierarchies.push({ name: `${table.name} by ${parent}`, table: table.name, parent });
  }
  return {
    ...model,
    tables,
    ...(relationships.length > 0 ? { relationships } : {}),
    ...(hierarchies.length > 0 ? { hierarchies } : {}),
  };
}
