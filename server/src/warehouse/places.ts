import type { Model, Table } from '@crease/core/model';
import { connectionOf, sameName } from '@crease/core/model';
import type { PlacedColumn } from './readColumn.ts';
import { DatabaseError } from '../databases/reader.ts';

/** A table or view of a database, with what its catalog says of it. */
export interface Place {
  readonly schema: string;
  readonly table: string;
  /** relkind of pg_class: r a table, p one in partitions, v a view, m a materialized one, f a foreign one. */
  readonly kind: string;
  /** The planner's estimate; null where it has none. */
  readonly rows: number | null;
  /** Pages of 8 kB as the planner knows them; 0 for what has none. */
  readonly pages: number;
  readonly columns: readonly PlacedColumn[];
  /** Columns that a unique index keeps apart, each set by itself. */
  readonly unique: readonly (readonly string[])[];
  /** The columns of its primary key, where they tell rows apart. */
  readonly key?: readonly string[];
  /**
   * What changes when rows may have changed: the server's own counts, and the file that they lie in; empty
   * where nobody knows.
   */
  readonly version: string;
}

/** Whether the server counts what changes in it: not in a view, nor in a table of another server. */
export const isCounted = ({ kind, version }: Place): boolean =>
  kind !== 'v' && kind !== 'f' && version !== '';

/** A table or view as the catalog of a database lists it. */
export interface Listed extends Place {
  readonly readable: boolean;
  /** Whether it is what its name alone means to the account. */
  readonly visible: boolean;
}

/** Where the rows of a model's tables are looked for. */
export interface Search {
  /** Tables of the model that lie in the database, by what they are called in the model. */
  readonly tables: readonly Table[];
  /** The schema of tables whose source names none; by default that which the account sees first. */
  readonly schema?: string | undefined;
}

/** What a table is called in the database: by its source, or by its own name. */
const wanted = (table: Table, schema: string | undefined): { schema?: string | undefined; table: string } => {
  const source = connectionOf(table);
  return source ? { schema: source.schema, table: source.table } : { schema, table: table.name };
};

/** The names of the tables that are looked for, in lower case. */
export const namesOf = ({ tables, schema }: Search): string[] => [
  ...new Set(tables.map((t) => wanted(t, schema).table.toLowerCase())),
];

/**
 * The tables of a model among those that a database lists, by what they are called in the model. A table that
 * is not there is missing from the answer; one that the account may not read, or of which there are several,
 * is an error.
 */
export function placesOf({ tables, schema }: Search, listed: readonly Listed[]): Map<string, Place> {
  const found = new Map<string, Place>();
  for (const table of tables) {
    const place = placeOf(table, wanted(table, schema), listed);
    if (place) found.set(table.name.toLowerCase(), place);
  }
  return found;
}

function placeOf(
  { name }: Table,
  { schema, table }: { schema?: string | undefined; table: string },
  listed: readonly Listed[],
): Place | undefined {
  const named = listed.filter(
    (r) => sameName(r.table, table) && (schema === undefined || sameName(r.schema, schema)),
  );
  const exact = named.filter((r) => r.table === table && (schema === undefined || r.schema === schema));
  const candidates = exact.length > 0 ? exact : named;
  const visible = candidates.filter((r) => r.visible);
  const chosen = visible.length === 1 ? visible[0] : candidates[0];
  if (!chosen) return undefined;
  if (candidates.length > 1 && visible.length !== 1)
    throw new DatabaseError(
      `${name}: the database has ${candidates.map((r) => `${r.schema}.${r.table}`).join(' and ')}; say which schema is meant`,
    );
  if (!chosen.readable)
    throw new DatabaseError(`${name}: the account may not read ${chosen.schema}.${chosen.table}`);
  const { readable: _, visible: __, ...place } = chosen;
  return place;
}

/** The model with the tables that were found as tables of the connection, passed through. */
export const onConnection = (
  model: Model,
  places: ReadonlyMap<string, Place>,
  connection: string,
): Model => ({
  ...model,
  tables: model.tables.map((table): Table => {
    const place = places.get(table.name.toLowerCase());
    return place
      ? { ...table, source: { connection, schema: place.schema, table: place.table }, held: false }
      : table;
  }),
});
