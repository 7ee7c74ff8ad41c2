import type { JudgedClaim } from '@crease/core/claims';
import { judgeModel } from '@crease/core/claims';
import type { Model, Table } from '@crease/core/model';
import { withFamilies } from '@crease/core/model';
import { DataError, ModelData } from '@crease/core/query';
import { ReadError } from '@crease/core/reading';
import { formatDate } from '@crease/core/values';
import type { FolderOptions } from './folderRows.ts';
import { rowsOfFolder } from './folderRows.ts';
import { loadModel, todayOf } from './input.ts';
import { tableLoader } from '@crease/core/sources';

/**
 * Judges every claim of a model file on the files of a folder, by default its own. Throws for a file that
 * cannot be read or is no model.
 */
export async function judgeFolder(
  modelFile: string,
  options: FolderOptions = {},
): Promise<{ model: Model; claims: JudgedClaim[]; data: ModelData }> {
  const model = loadModel(modelFile);
  const data = await rowsOfFolder(model, modelFile, options);
  // A waiver ends by today's date, whatever day the model's periods count from.
  const today = formatDate(todayOf({ ...model, asOf: undefined }));
  const onError = (error: unknown) => {
    // A file that cannot be read is said once, and ends the command.
    if (error instanceof ReadError) throw error;
    if (process.env.CREASE_DEBUG) process.stderr.write(`${(error as Error).stack ?? String(error)}\n`);
  };
  return { model, claims: judgeModel(model, data, today, onError), data };
}

/**
 * Judges the claims of a model file that are about the model alone; those about data are unchecked, as their
 * rows are not there.
 */
export function judgeWithoutRows(modelFile: string): JudgedClaim[] {
  const model = loadModel(modelFile);
  const full = withFamilies(model);
  const loader = (table: Table) => {
    throw new DataError(`the rows of ${table.name} are not checked: name their folder with --data`, {
      code: 'not-loaded',
    });
  };
  const today = todayOf(model);
  const data = new ModelData(full, tableLoader(full, today, loader), today);
  return judgeModel(model, data, formatDate(todayOf({ ...model, asOf: undefined })));
}
