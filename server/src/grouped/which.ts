import type { Model, Table } from '@crease/core/model';
import { connectionOf, isPassedThrough, sameName } from '@crease/core/model';
import type { ModelVersion } from '../store/index.ts';

type Places = Pick<ModelVersion, 'grouped'>;

/** The tables of a model of which groups are asked. */
export const groupedTables = (model: Model, { grouped = {} }: Places): Table[] =>
  model.tables.filter((t) => isPassedThrough(t) && grouped[connectionOf(t)!.connection] !== undefined);

/** The table of that name, where groups are asked of it. */
export const groupedTable = (model: Model, places: Places, name: string): Table | undefined =>
  groupedTables(model, places).find((t) => sameName(t.name, name));
