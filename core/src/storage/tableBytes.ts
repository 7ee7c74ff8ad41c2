import type { Table } from '../model/index.ts';
import { sameName } from '../model/index.ts';
import type { ModelData } from '../query/index.ts';
import { hierarchySize } from './hierarchySize.ts';
import { heldRelationships, relationshipSize } from './relationshipSizes.ts';
import { totalBytes } from './weight.ts';

/** Bytes of what leads from a table to others, and of the levels of its hierarchies. */
export function bytesAround(data: ModelData, { name }: Table): number {
  const relationships = heldRelationships(data.model)
    .filter((r) => sameName(r.from.table, name))
    .map((r) => relationshipSize(data, r)?.bytes ?? 0);
  const hierarchies = (data.model.hierarchies ?? [])
    .filter((h) => sameName(h.table, name))
    .map((h) => hierarchySize(data, h));
  return [...relationships, ...hierarchies].reduce((a, b) => a + b, 0);
}

/** Bytes that a table takes, held: what its profile says in all. Throws DataError where it cannot be had. */
export const tableBytes = (data: ModelData, table: Table): number =>
  table.columns.reduce(
    (sum, c) => sum + totalBytes(data.column(table.name, c.name)),
    bytesAround(data, table),
  );
