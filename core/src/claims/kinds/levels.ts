import type { Column } from '../../columns/index.ts';
import type { Hierarchy } from '../../model/index.ts';
import type { ModelData } from '../../query/index.ts';
import { levelColumn, onRowsOf } from '../../query/index.ts';

type Level = NonNullable<Hierarchy['levels']>[number];

/** The columns of a level over the rows of the hierarchy's own table: those that tell its members apart, and what is shown. */
export function levelColumns(
  data: ModelData,
  hierarchy: Hierarchy,
  level: Level,
): { identity: Column[]; shown: Column } {
  const shown = onOwnRows(data, hierarchy, level.column);
  return {
    identity:
      level.key === undefined ? [shown] : [level.key].flat().map((key) => onOwnRows(data, hierarchy, key)),
    shown,
  };
}

const onOwnRows = (data: ModelData, hierarchy: Hierarchy, path: string): Column =>
  onRowsOf(data, hierarchy.table, levelColumn(data, hierarchy, path));
