import { columnPath, tokenize } from '@crease/core/formula';
import type { Model } from '@crease/core/model';
import { ModelNames, sameName } from '@crease/core/model';

/** Something of the model that a formula names. */
export interface NamedObject {
  readonly kind: 'table' | 'column' | 'measure';
  readonly name: string;
  /** Where it is named: offsets in the formula. */
  readonly start: number;
  readonly end: number;
}

/**
 * What of the model is named at a place of a formula: a measure, a column with its table (`own` is the table
 * whose columns go by their names alone), a table; undefined where nothing is.
 */
export function objectAt(source: string, at: number, model: Model, own?: string): NamedObject | undefined {
  const { tokens } = tokenize(source);
  const isName = (i: number) => tokens[i]?.kind === 'name' || tokens[i]?.kind === 'quoted';
  const isDot = (i: number) => tokens[i]?.kind === 'symbol' && tokens[i]!.text === '.';
  const i = tokens.findIndex((t, k) => t.start <= at && at <= t.end && isName(k));
  if (i < 0) return undefined;
  const names = new ModelNames(model);
  const columnOf = (tableAt: number, columnAt: number): NamedObject | undefined => {
    const table = names.table(tokens[tableAt]!.text);
    const column = table && names.column(table, tokens[columnAt]!.text);
    return table && column
      ? {
          kind: 'column',
          name: columnPath(table.name, column.name),
          start: tokens[tableAt]!.start,
          end: tokens[columnAt]!.end,
        }
      : undefined;
  };
  const { text, start, end } = tokens[i]!;
  if (isDot(i - 1) && isName(i - 2)) return columnOf(i - 2, i);
  const table = names.table(text);
  // On the table of a path it is the table that is meant.
  if (isDot(i + 1)) return table && { kind: 'table', name: table.name, start, end };
  const measure = (model.measures ?? []).find((m) => sameName(m.name, text));
  if (measure) return { kind: 'measure', name: measure.name, start, end };
  const ownTable = own === undefined ? undefined : names.table(own);
  const column = ownTable && names.column(ownTable, text);
  if (ownTable && column) return { kind: 'column', name: columnPath(ownTable.name, column.name), start, end };
  return table && { kind: 'table', name: table.name, start, end };
}
