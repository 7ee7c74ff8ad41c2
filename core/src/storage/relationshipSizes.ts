import { encodeSegments } from '../columns/index.ts';
import type { Codes } from '../columns/index.ts';
import type { Model, Relationship } from '../model/index.ts';
import { cardinalityOf, sameName } from '../model/index.ts';
import type { ModelData } from '../query/index.ts';
import { DataError } from '../query/index.ts';

export interface RelationshipSize {
  readonly name: string;
  /** The table that refers: the bytes count as its. */
  readonly table: string;
  readonly fromDistinct: number;
  readonly toDistinct: number;
  readonly bytes: number;
}

export const packedBytesOf = (codes: Codes): number =>
  encodeSegments(codes).reduce((sum, s) => sum + s.bytes.length, 0);

const isStaging = (model: Model, table: string): boolean =>
  model.tables.some((t) => sameName(t.name, table) && t.role === 'staging');

/** Relationships that hold something: those between tables that are kept, many-to-many ones apart. */
export const heldRelationships = (model: Model): readonly Relationship[] =>
  (model.relationships ?? []).filter(
    (r) =>
      cardinalityOf(r) !== 'many-to-many' && !isStaging(model, r.from.table) && !isStaging(model, r.to.table),
  );

/** What leads from the referring rows to the rows referred to, packed. */
export function relationshipSize(data: ModelData, r: Relationship): RelationshipSize | undefined {
  try {
    const { codes, rowOf } = data.pathStart([r])!;
    const distinctOf = (end: typeof r.from) => data.column(end.table, end.columns[0]!).distinct;
    return {
      name: r.name,
      table: r.from.table,
      fromDistinct: distinctOf(r.from),
      toDistinct: distinctOf(r.to),
      // By value where one column does, else by row.
      bytes: packedBytesOf(rowOf ?? codes),
    };
  } catch (error) {
    // A relationship that names something missing holds nothing; its claims tell of it.
    if (error instanceof DataError) return undefined;
    throw error;
  }
}
