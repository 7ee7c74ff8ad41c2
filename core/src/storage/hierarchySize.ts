import { codesArray } from '../columns/index.ts';
import type { Hierarchy } from '../model/index.ts';
import type { ModelData } from '../query/index.ts';
import { DataError, levelColumn, parentRows } from '../query/index.ts';
import { packedBytesOf } from './relationshipSizes.ts';

/**
 * The parent of each member, level by level (or of each row, for a parent-child hierarchy), packed: bytes.
 */
export function hierarchySize(data: ModelData, h: Hierarchy): number {
  try {
    if (h.parent !== undefined) return packedBytesOf(parentRows(data, h).parents);
    const levels = (h.levels ?? []).map((level) => {
      const { table, column } = levelColumn(data, h, level.column);
      return { column: data.column(table, column), index: data.lookupIndex(h.table, table) };
    });
    let bytes = 0;
    for (let i = 1; i < levels.length; i++) {
      const [above, own] = [levels[i - 1]!, levels[i]!];
      const parents = codesArray(above.column.domain.size, own.column.domain.size + 1);
      const code = (level: typeof own, row: number) =>
        level.index
          ? level.index[row] === 0
            ? 0
            : level.column.codes[level.index[row]! - 1]!
          : level.column.codes[row]!;
      for (let row = 0; row < data.rowCount(h.table); row++) parents[code(own, row)] = code(above, row);
      bytes += packedBytesOf(parents);
    }
    return bytes;
  } catch (error) {
    // A hierarchy that names something missing holds nothing; its claims tell of it.
    if (error instanceof DataError) return 0;
    throw error;
  }
}
