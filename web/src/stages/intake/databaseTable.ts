/** One text for a table of a database, to tell tables apart by. */
export const keyOf = (t: { schema: string | null; table: string }): string =>
  JSON.stringify([t.schema, t.table]);

/** A table as requests name it: without a schema where the database has none. */
export const nameOf = (t: { schema?: string | null; table: string }): { schema?: string; table: string } =>
  t.schema === null || t.schema === undefined ? { table: t.table } : { schema: t.schema, table: t.table };
