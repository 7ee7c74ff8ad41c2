import type { TableData } from '@crease/core/columns';
import { encodeSegment, encodeSegments, inFewestBytes, MOST_COUNTED } from '@crease/core/columns';
import type { Replaces, Tables } from '../store/index.ts';

/** Writes a table that is in memory; it is visible when it is finished. Gives its id. */
export function writeTable(
  tables: Tables,
  modelId: number,
  key: string,
  table: TableData,
  replaces?: Replaces,
): number {
  const { rowCount, problems } = table;
  const lines = new Uint32Array(rowCount);
  for (let row = 0; row < rowCount; row++) lines[row] = table.lineOf?.(row) ?? row;
  const firstLine = lines[0] ?? 0;
  const regular = lines.every((line, row) => line === firstLine + row);
  const id = tables.begin(
    modelId,
    key,
    { rowCount, problems, firstLine, lines: regular ? undefined : lines },
    replaces,
  );
  [...table.columns.values()].forEach((column, ordinal) => {
    const { name, type, nulls, distinct, runs, padded } = column;
    tables.addColumn(id, ordinal, {
      name,
      sourceName: table.sourceNames?.get(name.toLowerCase()),
      type,
      nulls,
      distinct,
      runs,
      padded,
      ...inFewestBytes(type, column.encodedDomain(), encodeSegments(column.codes)),
      counts: column.size <= MOST_COUNTED ? encodeSegment(column.counts) : undefined,
    });
  });
  return id;
}
