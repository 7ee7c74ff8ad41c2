import type { FileSource, Table } from '../model/index.ts';
import type { ColumnToRead, Dialect, ReadSpec } from '../reading/index.ts';
import { detectDialect } from '../reading/index.ts';
import { parseType, TEXT } from '../values/index.ts';

/** How much of a file is looked at to find what its model does not say. */
export const HEAD_BYTES = 1 << 16;

/**
 * What to read of a model table's file: its stored columns, in the dialect that the model says, or else that
 * the head shows.
 */
export function readSpecOf(table: Table, source: FileSource, head: Uint8Array, whole: boolean): ReadSpec {
  const guessed = detectDialect(head, whole);
  const dialect: Dialect = {
    delimiter: source.delimiter ?? guessed.delimiter,
    quote: source.quote ?? '"',
    header: source.header ?? true,
    encoding: source.encoding ?? guessed.encoding,
    newline: guessed.newline,
    ...(source.skip ? { skip: source.skip } : {}),
  };
  return {
    table: table.name,
    columns: storedColumns(table, source),
    dialect,
    ...(source.nulls ? { nulls: source.nulls } : {}),
  };
}

function storedColumns(table: Table, source: FileSource): ColumnToRead[] {
  return table.columns
    .filter((column) => column.formula === undefined)
    .map((column) => ({
      name: column.name,
      type: parseType(column.type) ?? TEXT,
      ...(column.pattern ? { pattern: column.pattern } : {}),
      ...(column.sourceName !== undefined ? { fileName: column.sourceName } : {}),
      ...(source.decimalComma ? { decimalComma: true } : {}),
      ...(source.thousands !== undefined ? { thousands: source.thousands } : {}),
    }));
}
