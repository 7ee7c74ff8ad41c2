import { findAllLevels, findLevels } from '@crease/core/propose';
import type { ModelVersion } from '../store/index.ts';
import { task } from '../threads/protocol.ts';
import { dataOf } from './modelRows.ts';

/** Levels that the rows of a table, or of all tables, have. */
export const foundLevels = task(({ table, ...version }: { table?: string | undefined } & ModelVersion) =>
  table === undefined || table === '' ? findAllLevels(dataOf(version)) : findLevels(dataOf(version), table),
);
