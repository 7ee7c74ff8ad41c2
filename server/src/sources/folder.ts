import { dirname, isAbsolute, join, relative, resolve, sep } from 'node:path';
import type { TableData } from '@crease/core/columns';
import type { Model, Table } from '@crease/core/model';
import { withFamilies } from '@crease/core/model';
import { DataError, ModelData } from '@crease/core/query';
import { ReadError } from '@crease/core/reading';
import { readSpecOf, tableLoader } from '@crease/core/interchange';
import { readFileTable, readHead } from './fileTable.ts';

/** The rows of a model over the files of a folder; each table is read when it is first asked for. */
export function folderData(model: Model, folder: string, today: number): ModelData {
  const full = withFamilies(model);
  return new ModelData(
    full,
    tableLoader(full, today, (table) => fileRows(table, folder)),
    today,
  );
}

function fileRows(table: Table, folder: string): TableData {
  const { source } = table;
  if (!source) throw new DataError(`the table ${table.name} has no source: say in the model where its rows come from`);
  if ('file' in source) {
    const within = relative(resolve(folder), resolve(folder, source.file));
    if (isAbsolute(source.file) || within === '..' || within.startsWith(`..${sep}`))
      throw new ReadError(`the file of ${table.name} lies outside of the data folder: ${source.file}`);
    if (source.file.toLowerCase().endsWith('.parquet'))
      throw new DataError(`the table ${table.name} comes from a Parquet file, which cannot be read yet`);
    const file = join(folder, source.file);
    const { head, whole } = readHead(file);
    return readFileTable(file, readSpecOf(table, source, head, whole));
  }
  throw new DataError(`the table ${table.name} comes from a database connection, which the command line does not have`);
}

/** The folder of a model's data where none is named: beside the model. */
export const dataFolder = (modelFile: string, named: string | undefined): string => named ?? dirname(resolve(modelFile));
