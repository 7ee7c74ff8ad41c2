import type { TableData } from '../columns/index.ts';
import { columnOfValues, tableOf } from '../columns/index.ts';
import type { Model, Table } from '../model/index.ts';
import { ModelData } from '../query/index.ts';
import type { Value } from '../values/index.ts';
import { parseType } from '../values/index.ts';
import { acceptAll, proposeStar } from './index.ts';

// For tests: drafts of tables of which nothing but rows is known.

type Columns = Readonly<Record<string, readonly Value[]>>;

/** The draft of tables of which nothing but rows is known: texts, whole numbers. */
export function draft(tables: Readonly<Record<string, Columns>>): Model {
  const rows = new Map<string, TableData>();
  const bare = Object.entries(tables).map(([name, columns]): Table => {
    const typed = Object.entries(columns).map(
      ([column, values]) =>
        [column, values.some((v) => typeof v === 'string') ? 'text' : 'integer', values] as const,
    );
    rows.set(
      name,
      tableOf(
        name,
        typed.map(([column, type, values]) => columnOfValues(column, parseType(type)!, [...values])),
      ),
    );
    return { name, role: 'staging', columns: typed.map(([column, type]) => ({ name: column, type })) };
  });
  const model: Model = { crease: 1, name: 'm', tables: bare };
  return acceptAll(model, proposeStar(new ModelData(model, (name) => rows.get(name)!, 0)));
}
/** So many values, by their number from 0; by default 1, 2, 3 … */
export function many(n: number): number[];
export function many<T extends Value>(n: number, of: (i: number) => T): T[];
export function many(n: number, of: (i: number) => Value = (i) => i + 1): Value[] {
  return Array.from({ length: n }, (_, i) => of(i));
}
