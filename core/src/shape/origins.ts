import { namesIn } from '../formula/index.ts';
import type { Model, ModelColumn, Step, Table } from '../model/index.ts';
import { sameName, stepsOf } from '../model/index.ts';
import type { ReadTables } from './step.ts';
import { readStep } from './steps/index.ts';

/**
 * Tables of the model that a derived table's steps read, in their order. Steps that are switched off read
 * none.
 */
export function tablesRead(steps: readonly Step[]): string[] {
  const found = steps.flatMap((step) => {
    const read = readStep(step);
    return read?.kind.reads?.(read.argument) ?? [];
  });
  return [...new Set(found)];
}

/** Where a column's values come from, one hop back. */
export interface Origin {
  readonly table: string;
  /** Undefined where the rows themselves are counted. */
  readonly column: string | undefined;
  /** What was done on the way: the step's verb, or the column's own formula. */
  readonly by: string;
}

/**
 * The columns that a column is made of, one hop back: by its formula, or through the steps of its table. For
 * a column of a file there are none. Formulas are read for the names of columns that stand before them.
 */
export function originsOf(model: Model, tableName: string, columnName: string): Origin[] {
  const table = model.tables.find((t) => sameName(t.name, tableName));
  const column = table?.columns.find((c) => sameName(c.name, columnName));
  if (!table || !column) return [];
  if (column.formula !== undefined) return ofFormula(model, table, column.formula, 'formula');
  const steps = stepsOf(table);
  return steps.length === 0 ? [] : throughSteps(model, steps, column.sourceName ?? column.name);
}

const AS_IT_IS = 'as it is';

/** What the model declares of the tables that steps read. */
export const readTables = (model: Model): ReadTables => ({
  has: (table, column) => columnsOf(model, table).some((c) => sameName(c.name, column)),
  quantities: (table) =>
    columnsOf(model, table)
      .filter((c) => c.use === 'quantity')
      .map((c) => c.name),
});

/** Follows names through the steps from the last to the first. */
function throughSteps(model: Model, steps: readonly Step[], wanted: string): Origin[] {
  const found: Origin[] = [];
  let names: { name: string; by: string }[] = [{ name: wanted, by: AS_IT_IS }];
  const tables = readTables(model);
  for (const step of [...steps].reverse()) {
    const read = readStep(step);
    if (!read) continue;
    const { kind, argument } = read;
    names = names.flatMap((n) => {
      const origin = kind.origin?.(argument, n.name, tables);
      if (!origin) return [n];
      // A step that only begins says nothing of how a column was made.
      const by = n.by === AS_IT_IS && kind.verb !== 'from' ? kind.verb : n.by;
      for (const { table, column } of origin.from ?? []) found.push({ table, column, by });
      return (origin.names ?? []).map((name) => ({ name, by: origin.by ?? n.by }));
    });
  }
  const proper = (o: Origin): Origin => {
    const table = model.tables.find((t) => sameName(t.name, o.table));
    const { column } = o;
    const known =
      column === undefined ? undefined : columnsOf(model, o.table).find((c) => sameName(c.name, column));
    return { ...o, table: table?.name ?? o.table, column: known?.name ?? column };
  };
  return found
    .map(proper)
    .filter((o, i, all) => all.findIndex((p) => p.table === o.table && p.column === o.column) === i);
}

const columnsOf = (model: Model, table: string): readonly ModelColumn[] =>
  model.tables.find((t) => sameName(t.name, table))?.columns ?? [];

function ofFormula(model: Model, table: Table, formula: string, by: string): Origin[] {
  return namesIn(formula).flatMap((name): Origin[] => {
    const dot = name.indexOf('.');
    const [home, column] = dot < 0 ? [table.name, name] : [name.slice(0, dot), name.slice(dot + 1)];
    const found = columnsOf(model, home).find((c) => sameName(c.name, column));
    return found
      ? [{ table: model.tables.find((t) => sameName(t.name, home))!.name, column: found.name, by }]
      : [];
  });
}
