import type { DataType, Value } from '../values/index.ts';
import { formatType, parseType, TEXT, textReader, toText } from '../values/index.ts';
import type { Column, Misfits, MisfitText, TableData } from '../columns/index.ts';
import { columnOfValues, columnValues, misfitsOf, noteMisfit } from '../columns/index.ts';
import { converter } from '../formula/index.ts';
import type { ModelColumn } from '../model/index.ts';

/**
 * Rows with the types that the model declares now, where they were loaded with others. A value that is none
 * of the new type is null and counted among the misfits with its line, as if it had been read so. Columns
 * that fit are shared.
 */
export function retyped(table: TableData, declared: readonly ModelColumn[]): TableData {
  const others = declared.flatMap((c): [ModelColumn, Column][] => {
    const column = c.formula === undefined ? table.columns.get(c.name.toLowerCase()) : undefined;
    return column && formatType(column.type) !== c.type ? [[c, column]] : [];
  });
  if (others.length === 0) return table;
  const [columns, misfits] = [new Map(table.columns), new Map(table.misfits)];
  for (const [{ name, type, pattern }, column] of others) {
    const made = converted(column, parseType(type) ?? TEXT, pattern, (row) => table.lineOf?.(row) ?? row + 1);
    columns.set(name.toLowerCase(), made.column);
    if (made.misfits) misfits.set(name.toLowerCase(), made.misfits);
  }
  return { ...table, columns, misfits };
}

/** A column brought to another type, value by value of its dictionary. */
function converted(
  column: Column,
  type: DataType,
  pattern: string | undefined,
  lineOf: (row: number) => number,
): { column: Column; misfits: Misfits | undefined } {
  const convert =
    column.type.kind === 'text'
      ? textReader(type, pattern === undefined ? {} : { pattern })
      : converter(column.type, type);
  const own = columnValues(column);
  const values = own.map((value): Value => (value === null ? null : (convert(value as never) ?? null)));
  const lost = new Set(own.flatMap((value, code) => (value !== null && values[code] === null ? [code] : [])));
  const found = new Map<string, MisfitText>();
  if (lost.size > 0) {
    column.codes.forEach((code: number, row: number) => {
      if (lost.has(code)) noteMisfit(found, toText(own[code]!, column.type), lineOf(row));
    });
  }
  const made = columnOfValues(
    column.name,
    type,
    Array.from(column.codes, (code) => values[code]!),
  );
  return { column: made, misfits: misfitsOf([found]) };
}
