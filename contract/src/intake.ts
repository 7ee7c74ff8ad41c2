import * as z from 'zod';
import { columnSchema, relationshipSchema, tableSchema } from '@crease/core/model';
import type { ReadProblem } from '@crease/core/columns';
import type { LoadChange } from '@crease/core/load';
import type { FilePreview } from '@crease/core/reading';
import { NAMING_RULES } from '@crease/core/reading';
import { parseType } from '@crease/core/values';
import { endpoint } from './endpoint.ts';
import { doneSchema, ofCore } from './ofCore.ts';

const dialectSchema = z.strictObject({
  delimiter: z.string().length(1),
  quote: z.string().max(1),
  header: z.boolean(),
  skip: z.int().min(0).max(1000).optional(),
  encoding: z.enum(['utf-8', 'utf-16le', 'utf-16be', 'windows-1252']),
  newline: z.enum(['\n', '\r']),
});
/** How the values of a column are written, and what they are. */
const readingFields = {
  /** Its field in a record, from 0. */
  place: z.int().min(0),
  type: z.string().refine((type) => parseType(type) !== undefined, { error: 'no type of the model' }),
  pattern: z.string().max(100).optional(),
  decimalComma: z.boolean().optional(),
  thousands: z.string().length(1).optional(),
};
const nullTexts = z.array(z.string().max(1000)).max(100);
/** What somebody says of a file instead of what is guessed. */
const previewRequest = z.strictObject({
  dialect: dialectSchema.partial().optional(),
  nulls: nullTexts.optional(),
  columns: z.array(z.strictObject(readingFields)).optional(),
});
export type PreviewRequest = z.infer<typeof previewRequest>;

/**
 * Rows of before are kept for undo: the last versions of a table or those of the last days, whichever is
 * more, under a cap.
 */
const keepSchema = z.strictObject({
  versions: z.int().min(0).max(1000),
  days: z.int().min(0).max(3650),
  bytes: z.int().min(0),
});
const settingsSchema = z.strictObject({
  naming: z.enum(NAMING_RULES),
  keep: keepSchema.optional(),
  timeZone: z.string().max(100).optional().describe('by which load plans are run'),
});
export type Settings = z.infer<typeof settingsSchema>;
export const LOAD_MODES = ['replace', 'parts', 'add', 'update', 'add quantities'] as const;
export type LoadMode = (typeof LOAD_MODES)[number];

/** How a table is read and what becomes of its rows: all that a load is told but for the file. */
const loadFields = {
  name: z.string().trim().min(1, 'a table needs a name').max(100),
  dialect: dialectSchema,
  /** Fields of a record: columns that are left out count. */
  fields: z.int().min(1).optional(),
  nulls: nullTexts.default(['']),
  columns: z
    .array(
      z.strictObject({
        name: z.string().min(1),
        fileName: z.string(),
        ...readingFields,
        place: readingFields.place.optional(),
        /** What a new column is used for; what people have said of one that is there stays. */
        use: columnSchema.shape.use,
        aggregate: columnSchema.shape.aggregate,
      }),
    )
    .min(1, 'choose at least one column'),
  /**
   * What happens where a value is not of its column's type: it is stored as null and listed, its row is left
   * out and listed, or nothing is stored.
   */
  misfits: z.enum(['null', 'leave out', 'stop']).default('null'),
  /**
   * The part of the table's rows that these take the place of, or are added as; without it they take the
   * place of all.
   */
  part: z.string().trim().min(1, 'a part needs a name').max(200).optional(),
  /** Of a table that is kept in parts: rows of these alone are taken; without it those of all. */
  parts: z.array(z.string().min(1)).min(1).optional(),
  /**
   * Whether rows take the place of all that are there or, in a table kept in parts, of those in their parts;
   * are added; or are brought onto them by the table's key.
   */
  mode: z.enum(LOAD_MODES).default('replace'),
  /** What happens where a blocking claim would be broken that is not broken before. */
  broken: z
    .enum(['store', 'stop'])
    .default('store')
    .describe('with "stop", rows that break a blocking claim never become visible'),
  /** What happens to references whose members their dimension does not have. */
  unknown: z
    .enum(['list', 'stop', 'add'])
    .default('list')
    .describe(
      'rows are stored and such members listed, nothing is stored, or they are added to the dimension',
    ),
};
const recipeName = z.string().trim().min(1, 'a recipe needs a name').max(100);
const intakeRequest = z.strictObject({
  dryRun: z.boolean().default(false).describe('says what would happen, and stores nothing'),
  tables: z
    .array(
      z.strictObject({
        upload: z.string(),
        ...loadFields,
        recipe: recipeName.optional().describe('keeps how it is loaded under that name'),
      }),
    )
    .min(1)
    .max(500),
});
export type IntakeRequest = z.infer<typeof intakeRequest>;
export type IntakeOrder = z.input<typeof intakeRequest>['tables'][number];

export const recipeSchema = z.strictObject({
  ...loadFields,
  /** Of the recipe; `table` is what it loads. */
  name: recipeName,
  table: loadFields.name,
  /** A table of a database; without it a file is given each time. */
  origin: z
    .strictObject({ connection: z.string(), schema: z.string().optional(), table: z.string() })
    .optional(),
});
export type RecipeState = z.output<typeof recipeSchema>;

/** Runs a recipe, as a command of the workspace's owner does beside a running server. */
const runRecipeRequest = z.strictObject({
  recipe: recipeName,
  model: z.string().max(300).optional(),
  upload: z.string().max(100).optional(),
  dryRun: z.boolean().default(false),
  parts: z.array(z.string().min(1)).min(1).optional(),
});

export const uploadStateSchema = z.strictObject({
  id: z.string(),
  name: z.string(),
  bytes: z.int(),
  origin: z
    .strictObject({
      connection: z.string(),
      schema: z.string().optional(),
      table: z.string(),
      rows: z.int().nullable(),
    })
    .optional()
    .describe('where rows of a database come from; the bytes are then of a sample'),
});
export type UploadState = z.infer<typeof uploadStateSchema>;

const previewStateSchema = z.strictObject({
  upload: uploadStateSchema,
  preview: ofCore<FilePreview>('the first rows of a file, how it is written, and what its columns are'),
});
export type PreviewState = z.infer<typeof previewStateSchema>;

const countsSchema = z.strictObject({
  added: z.int(),
  changed: z.int(),
  unchanged: z.int(),
  refused: z.int(),
});
const unknownMembersSchema = z.strictObject({
  relationship: z.string(),
  dimension: z.string(),
  members: z.int().describe('that the dimension does not have'),
  rows: z.int().describe('that refer to them'),
  named: z.array(z.string()).describe('the first of them, by their keys'),
  added: z.boolean().describe('whether they are added to it, or would be'),
});
/** Members that rows of a load refer to and that are not there. */
export type UnknownMembers = z.infer<typeof unknownMembersSchema>;

const loadResultSchema = z.strictObject({
  table: z.string(),
  counts: countsSchema.describe(
    'of arriving rows; without a key, rows that take the place of others are all new',
  ),
  removed: z.int().describe('rows that were there and are no more'),
  leftOut: z.int().describe('rows of the source that were left out and listed'),
  rows: z.int().describe('of the table afterwards, or of the part that was loaded'),
  parts: z
    .array(
      z.strictObject({
        name: z.string(),
        rows: z.int(),
        was: z.int().nullable().describe('rows before; null for a new part'),
      }),
    )
    .optional()
    .describe('of a table kept in parts: those that are written; one without rows goes'),
  notChosen: z.int().optional().describe('rows of parts that were not to be loaded'),
  unknown: z.array(unknownMembersSchema).optional(),
  leftOutFile: z
    .string()
    .optional()
    .describe('of a dry run: records that would not be taken, with their lines and why, as a delimited file'),
  refused: z.array(ofCore<ReadProblem>('a record that became no row, and why')),
  changes: z.array(
    ofCore<LoadChange>('a value that a load changed: of which key and column, before and after'),
  ),
});
/** What became of a table's rows, or with a dry run would become. */
export type LoadResult = z.infer<typeof loadResultSchema>;

const loadEntrySchema = z.strictObject({
  id: z.int(),
  at: z.string(),
  before: z.int().optional().describe('the revision before it, of a load that went well'),
  revision: z.int().optional().describe('the revision that it made'),
  reverted: z.string().optional().describe('when it was reverted'),
  table: z.string(),
  source: z.string().describe('the file, or the table of a database'),
  recipe: z.string().optional(),
  mode: z.enum(LOAD_MODES),
  parts: z.array(z.string()).optional().describe('that were written'),
  outcome: z.enum(['done', 'failed', 'cancelled']),
  message: z.string().optional(),
  rows: z.int().optional(),
  counts: countsSchema.optional(),
  removed: z.int().optional(),
  leftOut: z.int().optional(),
  unknown: z.array(unknownMembersSchema).optional(),
  hasRecords: z.boolean().optional().describe('whether the records that were not taken are kept as a file'),
});
export type LoadEntry = z.infer<typeof loadEntrySchema>;

const loadsStateSchema = z.strictObject({
  recipes: z.array(recipeSchema),
  log: z.array(loadEntrySchema),
  kept: z
    .strictObject({ versions: z.int(), bytes: z.int() })
    .describe('rows of before that are kept for undo'),
  keep: keepSchema.describe('the rule by which they are'),
});
export type LoadsState = z.infer<typeof loadsStateSchema>;

const jobStepSchema = z.strictObject({
  name: z.string(),
  state: z.enum(['running', 'done', 'ended']).describe('ended: by a fault, or because it was cancelled'),
  ms: z.int().describe('how long it took, or has taken so far'),
});
export type JobStep = z.infer<typeof jobStepSchema>;

export const jobStateSchema = z.strictObject({
  id: z.string(),
  says: z.string(),
  state: z.enum(['running', 'done', 'failed', 'cancelled']),
  progress: z.number().describe('0 to 1, as far as it is known'),
  detail: z.string(),
  steps: z.array(jobStepSchema).optional().describe('what it has done, one after the other'),
  elapsedMs: z.int().optional(),
  estimatedMs: z.int().optional().describe('how long it was expected to take in all, by its first steps'),
  faults: z.array(z.string()).describe('messages of a failed job'),
  loads: z.array(loadResultSchema).optional().describe('of a load that has ended, table by table'),
  warnings: z.array(z.string()).optional().describe('what went well and is to be looked at all the same'),
  broken: z.array(z.string()).optional().describe('claims that the load broke'),
});
export type JobState = z.infer<typeof jobStateSchema>;

const sqlDesignSchema = z.strictObject({
  tables: z.array(tableSchema),
  relationships: z.array(relationshipSchema),
  notes: z
    .array(z.strictObject({ line: z.int(), text: z.string() }))
    .describe('statements that could not be read, and what was left out of others'),
});
/** Tables that are declared in SQL. */
export type SqlDesign = z.output<typeof sqlDesignSchema>;

/** Files on their way in. */
export const intake = {
  upload: endpoint({
    method: 'POST',
    path: '/uploads',
    says: 'Receives a file, as its bytes',
    search: z.strictObject({ name: z.string().default('') }),
    answer: uploadStateSchema,
    sends: 'bytes',
  }),
  preview: endpoint({
    method: 'POST',
    path: '/uploads/:upload/preview',
    says: 'What a file holds, as it is guessed or said to be written',
    request: previewRequest,
    answer: previewStateSchema,
  }),
  drop: endpoint({
    method: 'DELETE',
    path: '/uploads/:upload',
    says: 'Removes a file that has been uploaded',
    answer: doneSchema,
  }),
  design: endpoint({
    method: 'POST',
    path: '/designs',
    says: 'The tables that CREATE TABLE statements declare, with keys, references and comments',
    request: z.strictObject({ sql: z.string().max(20_000_000) }),
    answer: sqlDesignSchema,
  }),
  passThrough: endpoint({
    method: 'POST',
    path: '/models/:id/passed-through',
    says: 'Adds tables of a database whose rows stay there: they are asked by SQL',
    request: z.strictObject({
      connection: z.string(),
      tables: z
        .array(z.strictObject({ schema: z.string().optional(), table: z.string().min(1) }))
        .min(1)
        .max(500),
    }),
    answer: z.strictObject({
      tables: z.array(z.string()).describe('that came new, by their names in the model'),
    }),
  }),
  load: endpoint({
    method: 'POST',
    path: '/models/:id/intake',
    says: 'Loads tables from what has been uploaded, as a job',
    request: intakeRequest,
    answer: jobStateSchema,
  }),
};

/** Loads that ran, what is kept of the rows before, and how tables are loaded again. */
export const loads = {
  get: endpoint({
    method: 'GET',
    path: '/models/:id/loads',
    says: 'Recipes, the log of loads, and the rows that are kept for undo',
    answer: loadsStateSchema,
  }),
  revert: endpoint({
    method: 'POST',
    path: '/models/:id/loads/:load/revert',
    says: 'Brings back the rows before a load',
    answer: ofCore<unknown>('what was done'),
  }),
  leftOut: endpoint({
    method: 'GET',
    path: '/models/:id/loads/:load/left-out',
    says: 'Records that a load did not take, word for word, with their lines and why, as a delimited file',
    answer: z.string(),
    gives: 'file',
  }),
  removeOldRows: endpoint({
    method: 'DELETE',
    path: '/models/:id/old-rows',
    says: 'Removes the rows of before that are kept for undo',
    answer: z.strictObject({ removed: z.int() }),
  }),
  removeRecipe: endpoint({
    method: 'DELETE',
    path: '/models/:id/recipes/:recipe',
    says: 'Deletes a recipe',
    answer: doneSchema,
  }),
  runRecipe: endpoint({
    method: 'POST',
    path: '/recipes/run',
    says: "Runs a recipe, as a command of the workspace's owner does beside a running server",
    request: runRecipeRequest,
    answer: jobStateSchema,
  }),
};

/** Work in the background. */
export const jobs = {
  get: endpoint({ method: 'GET', path: '/jobs/:job', says: 'How far a job is', answer: jobStateSchema }),
  cancel: endpoint({ method: 'DELETE', path: '/jobs/:job', says: 'Cancels a job', answer: doneSchema }),
};

/** Settings of the workspace. */
export const settings = {
  get: endpoint({
    method: 'GET',
    path: '/settings',
    says: 'Settings of the workspace',
    answer: settingsSchema.required(),
  }),
  put: endpoint({
    method: 'PUT',
    path: '/settings',
    says: 'Sets settings of the workspace',
    request: settingsSchema,
    answer: doneSchema,
  }),
};
