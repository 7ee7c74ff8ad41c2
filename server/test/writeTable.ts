import type { TableData } from '@crease/core/columns';
import { encodeDomain, encodeSegment, encodeSegments, inFewestBytes } from '@crease/core/columns';
import type { Replaces, Tables } from '../src/store/index.ts';

/** Stores a table that is in memory, by the steps that a load takes, and makes it the rows of its key. Gives the part that it is. */
export function writeTable(tables: Tables, modelId: number, key: string, table: TableData, replaces?: Replaces): string {
  const { rowCount, problems } = table;
  const lines = Uint32Array.from({ length: rowCount }, (_, row) => table.lineOf?.(row) ?? row);
  const firstLine = lines[0] ?? 0;
  const regular = lines.every((line, row) => line === firstLine + row);
  const id = tables.begin(modelId, key, { rowCount, problems, firstLine, lines: regular ? undefined : lines }, replaces);
  [...table.columns.values()].forEach((column, ordinal) => {
    const { name, type, nulls, distinct, runs } = column;
    const sourceName = table.sourceNames?.get(name.toLowerCase());
    tables.addColumn(id, ordinal, {
      name,
      sourceName,
      type,
      nulls,
      distinct,
      runs,
      ...inFewestBytes(type, encodeDomain(column.domain, type), encodeSegments(column.codes)),
      counts: encodeSegment(column.counts),
    });
  });
  tables.finish(id, table.misfits, replaces);
  return String(id);
}
