import { dirname, isAbsolute, join, relative, resolve, sep } from 'node:path';
import type { TableData } from '@crease/core/columns';
import type { Model, Table } from '@crease/core/model';
import { sameName, withFamilies } from '@crease/core/model';
import type { StepSetting } from '@crease/core/shape';
import { DataError, ModelData } from '@crease/core/query';
import { ReadError } from '@crease/core/reading';
import { ownRows, readSpecOf } from '@crease/core/interchange';
import { readFileTable, readHead } from './fileTable.ts';

/** The rows of a model over the files of a folder; each table is read when it is first asked for. */
export function folderData(model: Model, folder: string, today: number): ModelData {
  const tables = new Map<string, TableData>();
  const full = withFamilies(model);
  /** Derived tables whose steps are being run: one that is asked for again is derived from itself. */
  const open: string[] = [];
  const load = (wanted: string): TableData => {
    const found = full.tables.find((t) => sameName(t.name, wanted));
    if (!found) throw new DataError(`there is no table ${wanted}`);
    const { name } = found;
    const known = tables.get(name);
    if (known) return known;
    if (open.includes(name)) throw new DataError(`the tables are derived from each other in a circle: ${[...open, name].join(' → ')}`);
    open.push(name);
    try {
      const rows = loadTable(full, found, folder, { table: load, today });
      tables.set(name, rows);
      return rows;
    } finally {
      open.pop();
    }
  };
  return new ModelData(full, load, today);
}

function loadTable(model: Model, table: Table, folder: string, setting: StepSetting): TableData {
  const own = ownRows(model, table, setting);
  if (own) return own;
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
