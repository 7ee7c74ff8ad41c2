import { z } from 'zod';
import type { DataType } from '../values/index.ts';
import { formatType } from '../values/index.ts';
import type { Codes, Column, TableData } from '../columns/index.ts';
import { codesArray, columnOfCodes, tableOf } from '../columns/index.ts';
import type { Model, Table } from '../model/index.ts';
import { DataError, ModelData, numberedValues, rowValues } from '../query/index.ts';
import type { Evaluate } from '../formula/index.ts';

/** What a step may ask for beside the rows that it gets. */
export interface StepSetting {
  /** Rows of a table of the model, by name. */
  table(name: string): TableData;
  /** Days since 1970-01-01. */
  readonly today: number;
}

/** One verb of a derived table: a file each, listed in `index.ts`. */
export interface StepKind<T> {
  readonly verb: string;
  readonly schema: z.ZodType<T>;
  apply(input: TableData, argument: T, setting: StepSetting): TableData;
}

const names = z.array(z.string().min(1)).min(1, 'name at least one');
export const nameList = names;

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
