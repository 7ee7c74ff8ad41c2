import { dirname, isAbsolute, join, resolve } from 'node:path';
import type { TableData } from '@crease/core/columns';
import type { Model, Table } from '@crease/core/model';
import { withFamilies } from '@crease/core/model';
import { DataError, ModelData } from '@crease/core/query';
import { ReadError } from '@crease/core/reading';
import { ownRows, readSpecOf } from '@crease/core/interchange';
import { readFileTable, readHead } from './fileTable.ts';

/** The rows of a model over the files of a folder; each table is read when it is first asked for. */
export function folderData(model: Model, folder: string, today: number): ModelData {
  const tables = new Map<string, TableData>();
  const full = withFamilies(model);
  const data = new ModelData(
    full,
    (name) => {
      let table = tables.get(name);
      if (!table)
        tables.set(
          name,
          (table = loadTable(
            full,
            full.tables.find((t) => t.name === name)!,
            folder,
          )),
        );
      return table;
    },
    today,
  );
  return data;
}

function loadTable(model: Model, table: Table, folder: string): TableData {
  const own = ownRows(model, table);
  if (own) return own;
  const { source } = table;
  if (!source) throw new DataError(`the table ${table.name} has no source: say in the model where its rows come from`);
  if ('file' in source) {
    if (isAbsolute(source.file) || !resolve(folder, source.file).startsWith(resolve(folder)))
      throw new ReadError(`the file of ${table.name} lies outside of the data folder: ${source.file}`);
    if (source.file.toLowerCase().endsWith('.parquet'))
      throw new DataError(`the table ${table.name} comes from a Parquet file, which cannot be read yet`);
    const file = join(folder, source.file);
    const { head, whole } = readHead(file);
    return readFileTable(file, readSpecOf(table, source, head, whole));
  }
  if ('steps' in source) throw new DataError(`the table ${table.name} is derived by shaping steps, which cannot be run yet`);
  throw new DataError(`the table ${table.name} comes from a database connection, which the command line does not have`);
}

/** The folder of a model's data where none is named: beside the model. */
export const dataFolder = (modelFile: string, named: string | undefined): string => named ?? dirname(resolve(modelFile));
