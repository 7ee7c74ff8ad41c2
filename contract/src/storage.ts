import * as z from 'zod';
import type { Advice, FoldsMeasured, Profile } from '@crease/core/storage';
import { foldSchema, profileDocumentSchema } from '@crease/core/storage';
import { endpoint } from './endpoint.ts';
import { jobStateSchema } from './intake.ts';
import { ofCore } from './ofCore.ts';

const bytes = z.number();

/** What a workspace's file holds: the parts add up to its size. */
const fileSizesSchema = z.strictObject({
  fileBytes: bytes.describe('of the file, with what is written and not yet moved into it'),
  codes: bytes.describe('of columns that the model has now'),
  dictionaries: bytes.describe('of those columns, deflated where that is smaller'),
  notInModel: bytes.describe('columns of the files that no table of the model weighs: staging, left out'),
  beside: bytes.describe('rows by value, and line numbers'),
  keptForUndo: bytes.describe('rows that were replaced or removed'),
  otherModels: bytes,
  rest: bytes.describe('models, revisions, verdicts, and free room'),
});
export type FileSizes = z.infer<typeof fileSizesSchema>;

const profileStateSchema = z.strictObject({
  profile: ofCore<Profile>('what tables and columns weigh', profileDocumentSchema),
  file: fileSizesSchema,
  at: z.string(),
  revision: z.int().describe('number of the revision'),
  elapsedMs: z.number(),
});
export type ProfileState = z.infer<typeof profileStateSchema>;

const passedProfileSchema = z.strictObject({
  profile: ofCore<Profile>('what tables would weigh if they were held', profileDocumentSchema),
  sampled: profileDocumentSchema.shape.sampled.unwrap(),
  elapsedMs: z.number(),
});
export type PassedProfile = z.infer<typeof passedProfileSchema>;

const bothWaysSchema = z.strictObject({
  tables: z.array(z.string()).describe('whose rows are here as well as in their database'),
  questions: z.array(
    z.strictObject({
      name: z.string(),
      heldMs: z.number(),
      passedMs: z.number(),
      agrees: z.boolean(),
      note: z.string().optional().describe('where the answers differ first'),
    }),
  ),
});
/** The same questions on rows that are held here, and in the database that they come from. */
export type BothWays = z.infer<typeof bothWaysSchema>;

const keptProfileSchema = z.strictObject({
  id: z.int(),
  revision: z.int(),
  says: z.string().describe('what made that revision'),
  at: z.string(),
  totalBytes: bytes,
  rows: z.int(),
});
export type KeptProfile = z.infer<typeof keptProfileSchema>;

const partsStateSchema = z.strictObject({
  parts: z.array(
    z.strictObject({
      name: z.string(),
      rows: z.int(),
      bytes: z.int().describe('in the file'),
      first: z.string().nullable().describe('the least value of the column that rows are parted by'),
      last: z.string().nullable(),
      loadedAt: z.string(),
      source: z.string().nullable(),
      tookMs: z.int().nullable(),
      isClosed: z.boolean(),
    }),
  ),
  isParted: z.boolean().describe('whether all rows lie in parts by the rule that the model has now'),
});
export type PartsState = z.infer<typeof partsStateSchema>;

/** What a model weighs, and what would make it lighter. */
export const storage = {
  profile: endpoint({
    method: 'GET',
    path: '/models/:id/profile',
    says: 'What the model weighs now, beside what its values need',
    answer: profileStateSchema,
  }),
  passedProfile: endpoint({
    method: 'POST',
    path: '/models/:id/passed-through/profile',
    says: 'What tables that are passed through would weigh if they were held, from counts and samples',
    answer: passedProfileSchema,
  }),
  bothWays: endpoint({
    method: 'POST',
    path: '/models/:id/passed-through/times',
    says: 'Asks kept trials of rows that are held, and of the database that they come from',
    answer: bothWaysSchema,
  }),
  keptProfiles: endpoint({
    method: 'GET',
    path: '/models/:id/profiles',
    says: 'Profiles of earlier revisions and loads, the newest first',
    answer: z.array(keptProfileSchema),
  }),
  keptProfile: endpoint({
    method: 'GET',
    path: '/models/:id/profiles/:kept',
    says: 'A profile of before',
    answer: profileDocumentSchema,
  }),
  parts: endpoint({
    method: 'GET',
    path: '/models/:id/tables/:table/parts',
    says: 'The parts of a table, in the order of their names',
    answer: partsStateSchema,
  }),
  actOnParts: endpoint({
    method: 'POST',
    path: '/models/:id/tables/:table/parts',
    says: 'Brings all rows of a table into parts by its rule, or removes parts with their rows, as a job',
    request: z.union([
      z.strictObject({ do: z.literal('split') }),
      z.strictObject({ do: z.literal('remove'), parts: z.array(z.string()).min(1) }),
    ]),
    answer: jobStateSchema,
  }),
  parquetSizes: endpoint({
    method: 'GET',
    path: '/models/:id/parquet-sizes',
    says: 'Bytes of the stored columns in Parquet files packed with gzip, by `table.column`',
    answer: z.record(z.string(), z.int()),
  }),
  advice: endpoint({
    method: 'GET',
    path: '/models/:id/storage-advice',
    says: 'What would make the model lighter, each measured on all rows',
    answer: z.array(ofCore<Advice>('a way to make it lighter, with bytes before and after')),
  }),
  folds: endpoint({
    method: 'POST',
    path: '/models/:id/folds',
    says: 'What several ways together would make of the model: the edit, and bytes before and after',
    request: z.strictObject({ folds: z.array(foldSchema).min(1).max(100) }),
    answer: ofCore<FoldsMeasured>('the edit, and tables before and after'),
  }),
};
