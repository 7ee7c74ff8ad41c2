import { workerData } from 'node:worker_threads';
import { LRUCache } from 'lru-cache';
import { formatType, textReader, toJson, DATE } from '@crease/core/values';
import type { Column, TableData } from '@crease/core/columns';
import { calledNow } from '@crease/core/columns';
import { readModel, withFamilies, fileOf } from '@crease/core/model';
import type { Model, Table } from '@crease/core/model';
import { DataError, ModelData, scanIsNear } from '@crease/core/query';
import { retyped } from '@crease/core/shape';
import { derivedCache } from '../judging/dependencies.ts';
import { openWorkspace, readWorkspace, sourceKey, Tables } from '../store/index.ts';
import type { Connection, ModelVersion } from '../store/index.ts';
import type { ThreadData } from '../threads/pool.ts';
import { SharedCodes } from '../threads/sharedCodes.ts';
import { tableLoader } from '@crease/core/sources';
import { passedThrough } from '../warehouse/passedThrough.ts';

// What a thread keeps of models and their rows between tasks.

/** Decoded codes, which the threads that answer questions share. */
const given = workerData as ThreadData;
export const codes = new SharedCodes(given.codes);
const connections = new Map<string, Connection>();
const decoded = new LRUCache<string, TableData>({ max: 80 });
/** Rows of models with their derived columns and indexes. */
const models = new LRUCache<string, ModelData>({ max: 3 });

/** Models by their documents: with families. */
const read = new LRUCache<string, Model>({ max: 3 });

/** The model of a document, read once for all that is done with it. */
export function modelOf(document: string): Model {
  const model = read.get(document) ?? withFamilies(readModel(document));
  read.set(document, model);
  return model;
}

/** This thread's connection to a workspace. */
export function connection(workspace: string): Connection {
  let found = connections.get(workspace);
  const open = given.readsOnly ? readWorkspace : openWorkspace;
  if (!found) connections.set(workspace, (found = open(workspace)));
  return found;
}

/** The day from which periods count: the model's, or else the day of the task. Days since 1970-01-01. */
const today = (model: Model, day: string): number => textReader(DATE)(model.asOf ?? day) as number;

/** The rows of a model with what is derived of them; kept for the next questions about the same. */
export function dataOf(version: ModelVersion): ModelData {
  const { workspace, modelId, revision, versions, day } = version;
  const key = JSON.stringify([workspace, modelId, revision, versions, day]);
  const kept = models.get(key);
  if (kept) return kept;
  const data = makeData(version);
  models.set(key, data);
  return data;
}

/**
 * The rows of a model, with what is derived of them. `other` has those of tables whose rows are not in the
 * workspace, undefined for the others.
 */
export function makeData(
  version: ModelVersion,
  other: (table: Table) => TableData | undefined = () => undefined,
): ModelData {
  const model = modelOf(version.document);
  const now = today(model, version.day);
  const rests = derivedCache(version.workspace, model, version);
  const loader = tableLoader(
    model,
    now,
    (table) => other(table) ?? storedRows(version, table),
    rests.table,
    (list) => version.versions[sourceKey(list)] !== undefined,
  );
  return new ModelData(model, loader, now, 'auto', rests.column);
}

function storedRows({ workspace, versions }: ModelVersion, table: Table): TableData {
  const { name } = table;
  // Rows that were held before stay for undo, and are not asked.
  if (table.held === false) throw passedThrough(name);
  const version = versions[sourceKey(table)];
  if (version === undefined)
    throw new DataError(
      table.source
        ? `the rows of ${name} have not been imported yet: load ${fileOf(table)?.file ?? 'them'} on the Intake stage`
        : `no rows yet: nothing has been imported into ${name}`,
      { code: 'not-loaded' },
    );
  const key = `${workspace}\n${version}`;
  let stored = decoded.get(key);
  if (!stored) {
    stored = new Tables(connection(workspace), (column, decode) => codes.of(column, decode)).read(
      version,
      name,
    );
    decoded.set(key, stored);
    scanIsNear(stored.rowCount);
  }
  return { ...retyped(calledNow(stored, table.columns), table.columns), name };
}

/** A derived column may be broken: then the others are shown all the same. */
export function columnOrFault(data: ModelData, table: string, name: string) {
  try {
    return data.column(table, name);
  } catch (error) {
    if (error instanceof DataError) return error.message;
    throw error;
  }
}

/** A page of rows as JSON: columns with their types in the model's own words, and `total` rows in all. */
export function pageOf(columns: readonly Column[], total: number, offset: number, count: number) {
  const end = Math.min(total, offset + count);
  const shown = Array.from({ length: Math.max(0, end - offset) }, (_, i) => offset + i);
  const values = columns.map((c) => c.valuesAt(shown).map((value) => toJson(value, c.type)));
  return {
    columns: columns.map((c) => ({ name: c.name, type: formatType(c.type) })),
    rows: shown.map((_, i) => values.map((column) => column[i]!)),
    total,
  };
}
