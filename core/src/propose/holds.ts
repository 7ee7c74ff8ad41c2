import type { Model, Table } from '../model/index.ts';
import { sameName } from '../model/index.ts';
import type { ModelData } from '../query/index.ts';
import { useByName } from './amounts.ts';

/** Columns of a table whose numbers are amounts: neither keys, codes, parts of dates nor flags. */
export const amountsOf = (table: Table, data: ModelData): string[] =>
  table.columns
    .filter((c) => c.formula === undefined && !(table.key ?? []).some((k) => sameName(k, c.name)))
    .filter((c) => useByName(c, data.column(table.name, c.name)).use === 'quantity')
    .map((c) => c.name);

/** Columns that start a relationship. */
export const referringColumns = (model: Model, table: Table): Set<string> =>
  new Set(
    (model.relationships ?? [])
      .filter((r) => sameName(r.from.table, table.name))
      .flatMap((r) => r.from.columns.map((c) => c.toLowerCase())),
  );
