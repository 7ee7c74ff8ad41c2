import type { ModelData } from '@crease/core/query';
import type { ModelVersion } from '../store/index.ts';
import { dataOf, makeData, modelOf } from '../tasks/modelRows.ts';
import { passedKey } from '../warehouse/passedThrough.ts';
import type { GroupedModel } from './onGroups.ts';
import { onFirstRows as firstRowsOn, onGroups } from './onGroups.ts';

// Models of a workspace with tables of which groups are asked.

/**
 * Does something with the rows of a model: see `onGroups` for those of tables of which groups are asked; the
 * others are in the workspace.
 */
export async function onRows<T>(version: ModelVersion, work: (data: ModelData) => T): Promise<T> {
  return version.grouped ? onGroups(groupedModel(version), work) : work(dataOf(version));
}

/** The model with the first rows of such tables, or of one of them, and how many each has in all. */
export const onFirstRows = (version: ModelVersion, most: number, only?: string) =>
  firstRowsOn(groupedModel(version), most, only);

function groupedModel(version: ModelVersion): GroupedModel {
  const { workspace, modelId, revision, versions, day } = version;
  return {
    model: modelOf(version.document),
    places: version.grouped ?? {},
    key: JSON.stringify([workspace, modelId, revision, versions, day]),
    state: (table) => versions[passedKey(table)],
    over: (rows, ids) => {
      const named = Object.fromEntries([...ids].map(([table, id]) => [passedKey(table), id]));
      return makeData({ ...version, versions: { ...versions, ...named } }, rows);
    },
  };
}
