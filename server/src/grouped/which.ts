import type { Model, Table } from '@crease/core/model';
import { connectionOf, isPassedThrough, readModel, sameName } from '@crease/core/model';
import type { ModelVersion } from '../store/index.ts';

/** The tables of a model of which groups are asked. */
export const groupedTables = (model: Model, { grouped = {} }: ModelVersion): Table[] =>
  model.tables.filter((t) => isPassedThrough(t) && grouped[connectionOf(t)!.connection] !== undefined);

/** Whether groups are asked of a table. */
export const isGrouped = (version: ModelVersion, table: string): boolean =>
  groupedTables(readModel(version.document), version).some((t) => sameName(t.name, table));
