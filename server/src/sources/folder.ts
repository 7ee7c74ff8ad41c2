import { dirname, isAbsolute, join, relative, resolve, sep } from 'node:path';
import type { TableData } from '@crease/core/columns';
import type { Model, Table } from '@crease/core/model';
import { withFamilies, fileOf } from '@crease/core/model';
import { DataError, ModelData } from '@crease/core/query';
import { ReadError } from '@crease/core/reading';
import type { FolderCache } from './folderCache.ts';
import { isParquet, readFileTable, readHead } from './fileTable.ts';
import { listsOfCorrections } from '@crease/core/corrections';
import { readSpecOf, tableLoader } from '@crease/core/sources';

/**
 * The rows of a model over the files of a folder; delimited files are read when they are first asked for,
 * Parquet files at once. `cache` has those that were read before.
 */
export async function openFolder(
  model: Model,
  folder: string,
  today: number,
  cache?: FolderCache,
): Promise<ModelData> {
  return dataOf(model, today, await storedRows(model, folder, cache));
}

/** The rows of tables as their files have them, before corrections. */
export async function storedRows(
  model: Model,
  folder: string,
  cache?: FolderCache,
): Promise<(table: Table) => TableData> {
  const read = new Map<string, TableData>();
  const sources = [...model.tables, ...listsOfCorrections(model)].flatMap((table) => {
    const source = fileOf(table);
    return source ? [{ table, source }] : [];
  });
  await cache?.prepare(sources.map(({ source }) => join(folder, source.file)));
  for (const { table, source } of sources) {
    if (!isParquet(source.file)) continue;
    const file = within(folder, source.file, table.name);
    // The reader is loaded only where there is something for it: a cold question on delimited files stays
    // quick.
    const { readParquetTable } = await import('./parquetTable.ts');
    const look = cache?.look(file, [source, table.columns], table.name);
    const found = look?.table ?? (await readParquetTable(file, table));
    if (!look?.table) look?.add(found);
    read.set(table.name, found);
  }
  return (table) => read.get(table.name) ?? fileRows(table, folder, cache);
}

/** As `openFolder`, without a turn of the event loop; Parquet files must have been `read` before. */
export function folderData(
  model: Model,
  folder: string,
  today: number,
  read: ReadonlyMap<string, TableData> = new Map(),
  cache?: FolderCache,
): ModelData {
  return dataOf(model, today, (table) => read.get(table.name) ?? fileRows(table, folder, cache));
}

function dataOf(model: Model, today: number, rows: (table: Table) => TableData): ModelData {
  const full = withFamilies(model);
  return new ModelData(full, tableLoader(full, today, rows), today);
}

function within(folder: string, file: string, table: string): string {
  const path = relative(resolve(folder), resolve(folder, file));
  if (isAbsolute(file) || path === '..' || path.startsWith(`..${sep}`))
    throw new ReadError(`the file of ${table} lies outside of the data folder: ${file}`);
  return join(folder, file);
}

function fileRows(table: Table, folder: string, cache: FolderCache | undefined): TableData {
  if (!table.source)
    throw new DataError(`no rows yet: nothing has been imported into ${table.name}`, {
      code: 'not-loaded',
    });
  const source = fileOf(table);
  if (source) {
    const file = within(folder, source.file, table.name);
    if (isParquet(file))
      throw new DataError(`the table ${table.name} comes from a Parquet file, which has not been read`);
    const { head, whole } = readHead(file);
    const spec = readSpecOf(table, source, head, whole);
    const look = cache?.look(file, spec, table.name);
    if (look?.table) return look.table;
    const rows = readFileTable(file, spec);
    look?.add(rows);
    return rows;
  }
  throw new DataError(
    `the table ${table.name} comes from a database connection, which the command line does not have`,
    { code: 'not-loaded' },
  );
}

/** The folder of a model's data where none is named: beside the model. */
export const dataFolder = (modelFile: string, named: string | undefined): string =>
  named ?? dirname(resolve(modelFile));
