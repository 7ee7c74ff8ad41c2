import type { Edit } from './edit.ts';
import { quoteName } from '../formula/index.ts';
import type { Hierarchy, Model, ModelColumn, Table } from '../model/index.ts';
import { freeName, sameName } from '../model/index.ts';
import type { Step } from '../shape/index.ts';
import type { Under } from './stepsUnder.ts';
import { stepsUnder } from './stepsUnder.ts';

/** Rows that a table may lack. */
export interface Candidates {
  /** Of the staging table that holds those it lacks. */
  readonly name: string;
  /**
   * Steps that give them, with columns called as the table's own; `rows` is the staging table of the rows as
   * they come.
   */
  readonly steps: (rows: string) => readonly Step[];
  readonly key: readonly ModelColumn[];
  /** What the new rows have: the key and, if more is known, other columns. */
  readonly columns: readonly ModelColumn[];
  /** The column that shows the new rows, and a row formula over the key that says what it holds. */
  readonly label?: { readonly column: ModelColumn; readonly formula: string } | undefined;
  /** Staging tables that the steps read. */
  readonly tables?: readonly Table[];
}

/**
 * Derives a table from its rows as they come and those of the candidates whose key they lack. Undefined where
 * nothing can be put under the table (see `stepsUnder`).
 */
export function withMissing(model: Model, table: Table, candidates: Candidates): Under | undefined {
  const { steps, key, columns, label, tables = [] } = candidates;
  const name = freeName(candidates.name, [...model.tables, ...tables]);
  const under = stepsUnder(model, table, [{ union: [name] }]);
  if (!under) return undefined;
  const rows = under.staging.name;
  const mark = freeName('row_is_there', table.columns);
  const missing: Table = {
    name,
    role: 'staging',
    source: {
      steps: [
        ...steps(rows),
        {
          lookup: {
            table: rows,
            on: key.map((c) => [c.name, c.name]),
            columns: [{ column: key[0]!.name, as: mark }],
          },
        },
        { filter: `${mark} is null` },
        { pick: columns.map((c) => c.name) },
        ...(label ? [{ derive: { name: label.column.name, formula: label.formula } }] : []),
      ] as never,
    },
    columns: [...columns, ...(label ? [label.column] : [])].map((c) => ({ name: c.name, type: c.type })),
  };
  const [staging, ...rest] = under.edit;
  const made = [...tables, missing].map((value): Edit[number] => ({ do: 'put-tables', name: null, value }));
  return { ...under, edit: [staging!, ...made, ...rest] };
}

/** A column's value as a text, in a row formula. */
export const asText = (c: ModelColumn): string =>
  c.type === 'text' ? quoteName(c.name) : `cast(${quoteName(c.name)} as text)`;

/**
 * Where the values of a dimension's key come from that may have no member: columns of a table, in the order
 * of the key.
 */
export interface Referring {
  /** Undefined for the table's own rows: parents of a tree. */
  readonly table: string | undefined;
  readonly columns: readonly ModelColumn[];
}

/**
 * Members for values that have none, shown by their key behind some words. Undefined where a type differs
 * from the key's, a column is derived by a formula, or nothing can be put under the table.
 */
export function missingMembers(
  model: Model,
  table: Table,
  key: readonly ModelColumn[],
  referring: Referring,
  shown: { readonly suffix: string; readonly label: string | undefined; readonly words: string },
): (Under & { readonly labelled: boolean }) | undefined {
  const { columns } = referring;
  if (columns.length !== key.length || columns.some((c, i) => c.type !== key[i]!.type)) return undefined;
  if ([...columns, ...key].some((c) => c.formula !== undefined)) return undefined;
  const label = table.columns.find((c) => shown.label !== undefined && sameName(c.name, shown.label));
  const holds =
    label?.type === 'text' && label.formula === undefined && !key.includes(label) ? label : undefined;
  const text = [
    ...(shown.words === '' ? [] : [`'${shown.words} '`]),
    key.map(asText).join(" || ', ' || "),
  ].join(' || ');
  const under = withMissing(model, table, {
    name: `${table.name}_${shown.suffix}`,
    steps: (rows) => [
      { from: referring.table ?? rows },
      { filter: columns.map((c) => `${quoteName(c.name)} is not null`).join(' and ') },
      { pick: columns.map((c, i) => ({ column: c.name, as: key[i]!.name })) },
      { distinct: true },
    ],
    key,
    columns: key,
    label: holds && { column: holds, formula: text },
  });
  return under && { ...under, labelled: holds !== undefined };
}

/**
 * Gives the parents of a parent-child hierarchy that have no row of their own one, with their key as label:
 * for lists of leaves only. Undefined where the key is made of several columns, or is of another type than
 * the parent.
 */
export function parentsAsMembers(model: Model, hierarchy: Hierarchy): Edit | undefined {
  const table = model.tables.find((t) => sameName(t.name, hierarchy.table));
  const keyName = hierarchy.key ?? (table?.key?.length === 1 ? table.key[0] : undefined);
  const column = (name: string | undefined) =>
    table?.columns.find((c) => name !== undefined && sameName(c.name, name));
  const [key, parent] = [column(keyName), column(hierarchy.parent)];
  if (!table || !key || !parent) return undefined;
  const shown = { suffix: 'parents', label: hierarchy.label ?? table.label, words: '' };
  return missingMembers(model, table, [key], { table: undefined, columns: [parent] }, shown)?.edit;
}
