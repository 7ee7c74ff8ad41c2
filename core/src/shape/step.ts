import type { DataType } from '../values/index.ts';
import { formatType } from '../values/index.ts';
import type { Codes, Column, TableData } from '../columns/index.ts';
import { codesArray, columnOfCodes, tableOf } from '../columns/index.ts';
import type { Model, StepArgument, Table, Verb } from '../model/index.ts';
import { sameName } from '../model/index.ts';
import { DataError, ModelData, numberedValues, rowValues } from '../query/index.ts';
import type { Evaluate } from '../formula/index.ts';

/** What a step may ask for beside the rows that it gets. */
export interface StepSetting {
  /** Rows of a table of the model, by name. */
  table(name: string): TableData;
  /** Days since 1970-01-01. */
  readonly today: number;
}

/** A column as it stands before a step. */
export interface StateColumn {
  readonly name: string;
  /** As the model writes types. */
  readonly type: string;
}

/** A column that is picked, under its own name or another. */
export type Picked = StepArgument<'pick'>[number];

/** Where a column that stands after a step comes from. */
export interface StepOrigin {
  /** Columns before the step that it is made of. */
  readonly names?: readonly string[];
  /** The formula by which it is made of them. */
  readonly by?: string;
  /** Columns of tables that the step reads; undefined for their rows. */
  readonly from?: readonly { readonly table: string; readonly column: string | undefined }[];
}

/** What is declared of the tables that a step reads. */
export interface ReadTables {
  /** Whether a table has a column. */
  has(table: string, column: string): boolean;
  /** Names of a table's quantities. */
  quantities(table: string): readonly string[];
}

/** What goes by another name while a step is rewritten: a table, or one column of a table. */
export interface StepRenaming {
  /** The new name of a table that is read. */
  table(name: string): string;
  /** The new name of a column of a table that is read. */
  column(table: string, name: string): string;
  /** The old name of the table, or of the table that the column is of. */
  readonly renamedTable: string;
  /** The old name of the column; undefined where a table is renamed. */
  readonly old: string | undefined;
  /** Whether the renamed column stands before the step, under its new name. */
  readonly isRenamed: boolean;
  /** The new name of a column before the step. */
  own(name: string): string;
  /** A formula over the columns before the step. */
  formula(source: string): string;
  /** Whether a column of this name stood before the step, by the old names. */
  stood(name: string): boolean;
  /** A step within the step. */
  inner(step: Readonly<Record<string, unknown>>): Readonly<Record<string, unknown>>;
  /** What the tables that are read have, by the old names. */
  readonly tables: ReadTables;
}

/** A step by the new names. */
export interface RenamedStep<T> {
  readonly argument: T;
  /** Whether the renamed column stands after it under its new name; without it as before. */
  readonly isRenamed?: boolean;
}

/** A step that cannot keep its meaning under another name, with what to do about it. */
export class StepRefusal extends Error {}

/** One verb of a derived table, with everything about it: a file each, listed in `index.ts`. */
export interface StepKind<V extends Verb, T = StepArgument<V>> {
  readonly verb: V;
  /** What it does, for whoever chooses a verb; without it the verb is not offered. */
  readonly says?: string;
  /** An argument to start from, that can be run where there is anything to run it on. */
  empty(columns: readonly StateColumn[]): T;
  /** What it does, in a line. */
  text(argument: T): string;
  apply(input: TableData, argument: T, setting: StepSetting): TableData;
  /** Tables of the model that it reads. */
  reads?(argument: T): readonly string[];
  /** Where a column after it comes from; nothing for one that was there before under the same name. */
  origin?(argument: T, name: string, tables: ReadTables): StepOrigin | undefined;
  /**
   * The step by the new names; not for a step that names neither a table nor a column. Throws StepRefusal.
   */
  rename?(argument: T, names: StepRenaming): RenamedStep<T>;
  /** Columns that can be summed after it, beside those that could before, in `before` by lower case. */
  quantities?(argument: T, before: ReadonlySet<string>, tables: ReadTables): readonly string[];
}

/** A list of names, cut where it is long. */
export const few = (names: readonly string[], most = 4): string =>
  names.length <= most
    ? names.join(', ')
    : `${names.slice(0, most - 1).join(', ')} and ${names.length - most + 1} more`;
export const pickedTexts = (columns: readonly Picked[]): string[] =>
  columns.map((c) => (typeof c === 'string' ? c : c.column === c.as ? c.as : `${c.column} as ${c.as}`));
/** Keys of two tables that have to be equal. */
export const keysText = (on: readonly (readonly [string, string])[]): string =>
  on.map(([a, b]) => (a === b ? a : `${a} = ${b}`)).join(' and ');
/** The column that is picked under a name. */
export const pickedAs = (columns: readonly Picked[], name: string): string | undefined =>
  columns.map((c) => (typeof c === 'string' ? { column: c, as: c } : c)).find((c) => sameName(c.as, name))
    ?.column;
/**
 * Picked columns of a table that is read, by the new names; each keeps the name under which it stands
 * afterwards.
 */
export const renamedPicks = (
  columns: readonly Picked[],
  column: (name: string) => string,
  own: (name: string) => string = (name) => name,
): Picked[] =>
  columns.map((c) => {
    const [from, as] = typeof c === 'string' ? [c, c] : [c.column, c.as];
    const [newFrom, newAs] = [column(from), own(as)];
    if (newFrom === from && newAs === as) return c;
    return newFrom === newAs ? newFrom : { column: newFrom, as: newAs };
  });
/** Keys of two tables by the new names. */
export const renamedKeys = (
  on: readonly (readonly [string, string])[],
  names: StepRenaming,
  table: string,
): [string, string][] => on.map(([own, theirs]) => [names.own(own), names.column(table, theirs)]);
/** New names of columns that can be summed. */
export const renamedQuantities = (
  columns: readonly Picked[] | undefined,
  quantities: ReadonlySet<string>,
): string[] =>
  (columns ?? []).flatMap((c) =>
    typeof c !== 'string' && quantities.has(c.column.toLowerCase()) ? [c.as] : [],
  );

/** The column of that name, or a message that names the step's verb. */
export function stepColumn(table: TableData, name: string, verb: string): Column {
  const column = table.columns.get(name.toLowerCase());
  if (!column)
    throw new DataError(
      `the step ${verb} names the column "${name}", which is not there: there are ${[...table.columns.values()].map((c) => c.name).join(', ')}`,
    );
  return column;
}

/** Some rows of a table, in the order given; lines of the source file stay with their rows. */
export function selectRows(table: TableData, rows: ArrayLike<number>): TableData {
  const columns = [...table.columns.values()].map((column) => {
    const codes = codesArray(column.domain.size, rows.length);
    for (let i = 0; i < rows.length; i++) codes[i] = column.codes[rows[i]!]!;
    return columnOfCodes(column.name, column.type, column.domain, codes);
  });
  const { lineOf } = table;
  return tableOf(table.name, columns, {
    rowCount: rows.length,
    ...(lineOf ? { lineOf: (row: number) => lineOf(rows[row]!) } : {}),
  });
}

/** As `selectRows`, for one column, with -1 for a row that is not there. */
export function pickRows(column: Column, name: string, rows: ArrayLike<number>): Column {
  const codes: Codes = codesArray(column.domain.size, rows.length);
  for (let i = 0; i < rows.length; i++) codes[i] = rows[i]! < 0 ? 0 : column.codes[rows[i]!]!;
  return columnOfCodes(name, column.type, column.domain, codes);
}

export const withColumns = (table: TableData, columns: readonly Column[]): TableData =>
  tableOf(table.name, columns, {
    rowCount: table.rowCount,
    ...(table.lineOf ? { lineOf: table.lineOf } : {}),
  });

/** A row formula over the rows as they are now: columns stand alone or behind the table's name. */
export function stepFormula(
  table: TableData,
  formula: string,
  setting: StepSetting,
): { evaluate: Evaluate; type: DataType; numbered: () => ReturnType<typeof numberedValues> } {
  const shape: Table = {
    name: table.name,
    role: 'staging',
    columns: [...table.columns.values()].map((c) => ({ name: c.name, type: formatType(c.type) })),
  };
  const model: Model = { crease: 1, name: 'step', tables: [shape] };
  const data = new ModelData(model, () => table, setting.today);
  const checked = data.checker.rowFormula(shape, formula);
  if (!checked.typed)
    throw new DataError(`the formula ${formula}: ${checked.faults.map((f) => f.message).join('; ')}`);
  const { typed } = checked;
  return {
    evaluate: rowValues(data, shape.name, typed),
    type: typed.type ?? { kind: 'text' },
    numbered: () => numberedValues(data, shape.name, typed),
  };
}
