import * as z from 'zod';
import { endpoint } from './endpoint.ts';
import { jobStateSchema } from './intake.ts';
import { doneSchema } from './ofCore.ts';

const planItemSchema = z.strictObject({
  object: z.string().describe('such as `table loan`, `view lantern_Desk.Branches`, `file loan.parquet`'),
  action: z.enum(['create', 'replace', 'alter', 'load parts', 'keep', 'drop']),
  sql: z.array(z.string()).readonly(),
  rows: z.int().optional().describe('that are brought'),
  loses: z.string().optional().describe('what is at the target and will not be'),
});
/** What happens to one object of a target. */
export type PlanItem = Readonly<z.infer<typeof planItemSchema>>;

const omittedSchema = z.strictObject({ what: z.string(), claim: z.string() });
export const releasePlanSchema = z.strictObject({
  target: z.string(),
  release: z.int().describe('the number that the release gets'),
  items: z.array(planItemSchema).readonly(),
  drift: z.array(z.string()).readonly().describe('what somebody else changed since the last release'),
  refusals: z.array(z.string()).readonly().describe('why it cannot be done'),
  omitted: z.array(omittedSchema).readonly().describe('constraints that the rows do not keep'),
  notes: z.array(z.string()).readonly(),
});
/** What a release would do at its target, before anything is done. */
export type ReleasePlan = Readonly<z.infer<typeof releasePlanSchema>>;

export const proofSchema = z.strictObject({
  tables: z.int(),
  questions: z.int(),
  differences: z.array(z.string()).readonly(),
  notes: z.array(z.string()).readonly(),
});
/** What was compared before a release became visible; it answers as Crease does where nothing differs. */
export type Proof = Readonly<z.infer<typeof proofSchema>>;

/** What is released, and where. */
const releaseRequest = z.strictObject({
  target: z.string().min(1).describe('of the model, by its name'),
  definitions: z.boolean().default(false).describe('leaves the rows there as they are'),
  parts: z.array(z.strictObject({ table: z.string(), part: z.string() })).default([]),
  author: z.string().trim().max(200).optional().describe('written down, not authenticated'),
  revision: z
    .int()
    .optional()
    .describe('the number of an earlier revision, which is released on the rows that it stood on'),
});

export const releaseEntrySchema = z.strictObject({
  id: z.int(),
  target: z.string(),
  release: z.int().optional(),
  revision: z.int().describe('the number of the revision that was released'),
  at: z.string(),
  author: z.string().optional(),
  what: z.string(),
  outcome: z.enum(['done', 'failed']),
  message: z.string().optional(),
  rows: z.int().optional(),
  seconds: z.number().optional(),
  proof: proofSchema.optional(),
  kept: z
    .enum(['rows', 'for readers'])
    .optional()
    .describe('whether the rows that it stood on are kept, and readers see it where it is the last such'),
});
/** A release as this workspace remembers it. */
export type ReleaseEntry = z.infer<typeof releaseEntrySchema>;

/** Releases to the targets of a model. */
export const targets = {
  log: endpoint({
    method: 'GET',
    path: '/models/:id/releases',
    says: 'Releases of the model, the last first',
    answer: z.array(releaseEntrySchema),
  }),
  plan: endpoint({
    method: 'POST',
    path: '/models/:id/releases/plan',
    says: 'What a release would do at a target; nothing is done',
    request: releaseRequest,
    answer: releasePlanSchema,
  }),
  release: endpoint({
    method: 'POST',
    path: '/models/:id/releases',
    says: 'Releases the head with its rows to a target; refused while a blocking claim is broken or has no verdict',
    request: releaseRequest,
    answer: jobStateSchema,
  }),
  giveUp: endpoint({
    method: 'DELETE',
    path: '/models/:id/releases/:release',
    says: 'Discards the rows kept of a release: readers do not see it any more; its target stays as it is',
    answer: doneSchema,
  }),
};
