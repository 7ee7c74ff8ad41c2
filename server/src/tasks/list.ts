import { additivity } from './additivity.ts';
import { askBoth } from './askBoth.ts';
import { briefs } from './briefs.ts';
import { column } from './column.ts';
import { columnFormula } from './columnFormula.ts';
import { columns } from './columns.ts';
import { corrections, correctionsFile, writeCorrections } from './corrections.ts';
import { finalize } from './finalize.ts';
import { formula } from './formula.ts';
import { formulaUses } from './formulaUses.ts';
import { foundLevels } from './foundLevels.ts';
import { impact } from './impact.ts';
import { judge } from './judge.ts';
import { judgeLoad } from './judgeLoad.ts';
import { levels } from './levels.ts';
import { match } from './match.ts';
import { members } from './members.ts';
import { odata } from './odata.ts';
import { parquetSizes } from './parquetSizes.ts';
import { partSpans, splitParts } from './parts.ts';
import { pieces } from './pieces.ts';
import { previewEdit } from './previewEdit.ts';
import { profile } from './profile.ts';
import { profileOn } from './profileOn.ts';
import { proposals } from './proposals.ts';
import { prune } from './prune.ts';
import { query } from './query.ts';
import { release, releasePlan } from './release.ts';
import { remedies } from './remedies.ts';
import { rows } from './rows.ts';
import { sql } from './sql.ts';
import { sqlDesign } from './sqlDesign.ts';
import { starAdvice } from './starAdvice.ts';
import { folds, storageAdvice } from './storageAdvice.ts';
import { rowsBehind } from './rowsBehind.ts';
import { explain } from './explain.ts';
import { trace } from './trace.ts';
import { transcode } from './transcode.ts';
import { types } from './types.ts';
import { unknownMembers } from './unknownMembers.ts';
import { values } from './values.ts';
import {
  extractSqlite,
  sqliteFileRights,
  sqliteFileTable,
  sqliteFileTables,
  sqliteFileVersion,
} from './sqlite.ts';
import { stepRows, steps } from './steps.ts';

/** Everything that worker threads do, by name. */
export const TASKS = {
  additivity,
  askBoth,
  briefs,
  column,
  columnFormula,
  columns,
  corrections,
  correctionsFile,
  extractSqlite,
  finalize,
  folds,
  formula,
  formulaUses,
  foundLevels,
  impact,
  judge,
  judgeLoad,
  levels,
  match,
  members,
  odata,
  parquetSizes,
  partSpans,
  pieces,
  previewEdit,
  profile,
  profileOn,
  proposals,
  prune,
  query,
  release,
  releasePlan,
  remedies,
  rows,
  sql,
  sqlDesign,
  sqliteFileRights,
  sqliteFileTable,
  sqliteFileTables,
  sqliteFileVersion,
  splitParts,
  starAdvice,
  storageAdvice,
  stepRows,
  steps,
  rowsBehind,
  explain,
  trace,
  transcode,
  types,
  unknownMembers,
  values,
  writeCorrections,
};
export type Tasks = typeof TASKS;
