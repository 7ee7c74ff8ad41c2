import * as z from 'zod';
import { editSchema } from '@crease/core/edit';
import type { ReadProblem } from '@crease/core/columns';
import type { AnswerChange, ChangeImpact, ModelChange } from '@crease/core/changes';
import type { Model } from '@crease/core/model';
import { modelSchema } from '@crease/core/model';
import { summarySchema } from './claims.ts';
import { endpoint } from './endpoint.ts';
import { doneSchema, ofCore } from './ofCore.ts';

const base = z.int().describe('the revision that it was made on; any other is a conflict');
const text = z.string().min(1).describe('a model file');

const modelSummarySchema = z.strictObject({
  id: z.int(),
  name: z.string(),
  title: z.string(),
  tables: z.int(),
  rows: z.int(),
  changedAt: z.string(),
  says: z.string().describe('the last change'),
  claims: z
    .strictObject({ done: z.boolean(), failure: z.string().optional(), summary: summarySchema })
    .optional()
    .describe('verdicts as far as they stand; missing for models beyond the first ones'),
  fault: z.string().optional().describe('why it cannot be read, where it cannot'),
});
export type ModelSummary = z.infer<typeof modelSummarySchema>;

const storedTableSchema = z.strictObject({
  name: z.string().describe("the table's name in the model"),
  rows: z.int(),
  bytes: z.int(),
  parts: z
    .array(
      z.strictObject({
        name: z.string(),
        rows: z.int(),
        bytes: z.int(),
        loadedAt: z.string(),
        source: z.string().nullable(),
        tookMs: z.int().nullable(),
      }),
    )
    .optional()
    .describe('where rows were loaded in parts: each, in the order of loading'),
  problems: z.array(ofCore<ReadProblem>('a record that became no row, and why')),
  loadedAt: z.string(),
});
export type StoredTable = z.infer<typeof storedTableSchema>;

const revisionFields = { id: z.int(), number: z.int(), says: z.string(), at: z.string(), by: z.string() };
const modelStateSchema = z.strictObject({
  id: z.int(),
  revision: z.strictObject(revisionFields),
  canUndo: z.boolean(),
  canRedo: z.boolean(),
  model: ofCore<Model>('a model document', modelSchema),
  stored: z.array(storedTableSchema),
});
export type ModelState = z.infer<typeof modelStateSchema>;

const undoStateSchema = z.strictObject({
  possible: z.boolean(),
  says: z.string().describe('of the act that it takes back, or does again'),
  rows: z
    .array(z.strictObject({ table: z.string(), now: z.int().nullable(), then: z.int().nullable() }))
    .describe('tables whose rows it changes: how many there are, and how many then; null for none at all'),
  reason: z.string().optional().describe('why it cannot be done here'),
});
/** What undo or redo would do. */
export type UndoState = z.infer<typeof undoStateSchema>;

const historyEntrySchema = z.strictObject({
  ...revisionFields,
  author: z.string().describe('as who made it calls themselves; empty where nobody said'),
  name: z.string().describe('that somebody gave the revision, or empty'),
  isHead: z.boolean(),
});
export type HistoryEntry = z.infer<typeof historyEntrySchema>;

export const editRequest = z.strictObject({
  base,
  edit: editSchema,
  says: z.string().min(1).max(300).describe('what the history says of it'),
});
export type EditRequest = z.infer<typeof editRequest>;
const stepRequest = z.strictObject({ base });
const madeSchema = z.strictObject({ id: z.int() });

const impactSchema = z.strictObject({
  trial: z.string(),
  change: ofCore<AnswerChange>('rows, and how many of them differ').optional(),
  fault: z
    .string()
    .optional()
    .describe('why there is no comparison: one of them has no such trial or no answer'),
});
/** What a kept trial answers before and now. */
export type TrialImpact = z.infer<typeof impactSchema>;

/** What an edit would do to numbers, and to what lies at targets. */
export interface ImpactState extends ChangeImpact {
  readonly targets: readonly string[];
}

/** Models, their edits and their history. */
export const models = {
  list: endpoint({
    method: 'GET',
    path: '/models',
    says: 'Lists the models of the workspace',
    answer: z.array(modelSummarySchema),
  }),
  create: endpoint({
    method: 'POST',
    path: '/models',
    says: 'Makes an empty model',
    request: z.strictObject({ title: z.string().trim().min(1, 'a model needs a title').max(200) }),
    answer: madeSchema,
  }),
  addDemo: endpoint({
    method: 'POST',
    path: '/models/demo',
    says: 'Adds the made-up library consortium',
    answer: madeSchema,
  }),
  importFile: endpoint({
    method: 'POST',
    path: '/models/import',
    says: 'Makes a model from a model file',
    request: z.strictObject({ text }),
    answer: madeSchema,
  }),
  get: endpoint({
    method: 'GET',
    path: '/models/:id',
    says: 'The head of a model, and what is stored of its tables',
    answer: modelStateSchema,
  }),
  remove: endpoint({
    method: 'DELETE',
    path: '/models/:id',
    says: 'Deletes a model with its rows',
    answer: doneSchema,
  }),
  edit: endpoint({
    method: 'POST',
    path: '/models/:id/edits',
    says: 'Makes an edit, as a revision of its own',
    request: editRequest,
    answer: modelStateSchema,
  }),
  previewUndo: endpoint({
    method: 'GET',
    path: '/models/:id/undo',
    says: 'What undo would do',
    answer: undoStateSchema,
  }),
  undo: endpoint({
    method: 'POST',
    path: '/models/:id/undo',
    says: 'Takes the last change back, rows included',
    request: stepRequest,
    answer: modelStateSchema,
  }),
  previewRedo: endpoint({
    method: 'GET',
    path: '/models/:id/redo',
    says: 'What redo would do',
    answer: undoStateSchema,
  }),
  redo: endpoint({
    method: 'POST',
    path: '/models/:id/redo',
    says: 'Does again what was undone last',
    request: stepRequest,
    answer: modelStateSchema,
  }),
  importInto: endpoint({
    method: 'POST',
    path: '/models/:id/import',
    says: 'Reads a model file into the model that it came from, as a revision; its rows stay',
    request: z.strictObject({ base, text }),
    answer: modelStateSchema,
  }),
  changes: endpoint({
    method: 'GET',
    path: '/models/:id/revisions/:revision/changes',
    says: 'What became of each object from a revision to the head',
    answer: z.array(ofCore<ModelChange>('an object that was added, removed, changed or renamed')),
  }),
  impact: endpoint({
    method: 'GET',
    path: '/models/:id/revisions/:revision/impact',
    says: 'What the kept trials answer at a revision and at the head, both on the rows of now',
    answer: z.array(impactSchema),
  }),
  impactOfEdit: endpoint({
    method: 'POST',
    path: '/models/:id/impact',
    says: 'What an edit would do to measures, kept trials, known answers, listings and targets; nothing is done',
    request: z.strictObject({ edit: editSchema }),
    answer: ofCore<ImpactState>('what would differ, and how much of the rest is the same'),
  }),
  restore: endpoint({
    method: 'POST',
    path: '/models/:id/revisions/:revision/restore',
    says: 'Makes a model of before the head again, as a revision of its own; rows stay',
    request: z.strictObject({ base: z.int() }),
    answer: modelStateSchema,
  }),
  nameRevision: endpoint({
    method: 'PUT',
    path: '/models/:id/revisions/:revision/name',
    says: 'Gives a revision a name; an empty one takes it away',
    request: z.strictObject({ name: z.string().trim().max(100) }),
    answer: doneSchema,
  }),
  revisionFile: endpoint({
    method: 'GET',
    path: '/models/:id/revisions/:revision/model',
    says: 'The model file of a revision',
    answer: z.string(),
    gives: 'file',
  }),
  revisionPage: endpoint({
    method: 'GET',
    path: '/models/:id/revisions/:revision/catalogue',
    says: 'A revision to read, as one page of HTML without rows',
    answer: z.string(),
    gives: 'file',
  }),
  history: endpoint({
    method: 'GET',
    path: '/models/:id/history',
    says: 'The revisions of a model, the newest first',
    answer: z.array(historyEntrySchema),
  }),
};
