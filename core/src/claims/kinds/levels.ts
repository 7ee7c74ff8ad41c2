import type { Column } from '../../columns/index.ts';
import { codesArray, columnOfCodes } from '../../columns/index.ts';
import type { Hierarchy } from '../../model/index.ts';
import type { ModelData } from '../../query/index.ts';
import { levelColumn } from '../../query/index.ts';

type Level = NonNullable<Hierarchy['levels']>[number];

/** The columns of a level over the rows of the hierarchy's own table: those that tell its members apart, and what is shown. */
export function levelColumns(data: ModelData, hierarchy: Hierarchy, level: Level): { identity: Column[]; shown: Column } {
  const shown = onOwnRows(data, hierarchy, level.column);
  return { identity: level.key === undefined ? [shown] : [level.key].flat().map((key) => onOwnRows(data, hierarchy, key)), shown };
}

/** A column of the table, or of one that it looks up, brought to the table's rows. */
function onOwnRows(data: ModelData, hierarchy: Hierarchy, path: string): Column {
  const { table, column } = levelColumn(data, hierarchy, path);
  const found = data.column(table, column);
  const index = data.lookupIndex(hierarchy.table, table);
  if (!index) return found;
  const own = codesArray(found.domain.size, index.length);
  index.forEach((row, i) => (own[i] = row === 0 ? 0 : found.codes[row - 1]!));
  return columnOfCodes(`${table}.${column}`, found.type, found.domain, own);
}
