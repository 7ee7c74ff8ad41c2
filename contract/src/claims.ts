import * as z from 'zod';
import type { JudgedClaim, Summary, Verdict } from '@crease/core/claims';
import { editSchema } from '@crease/core/edit';
import { endpoint } from './endpoint.ts';
import { doneSchema, ofCore } from './ofCore.ts';

const judgedClaim = ofCore<JudgedClaim>('a claim with its verdict, evidence and remedies');
const verdict = z.enum(['holds', 'broken', 'unchecked', 'waived']) satisfies z.ZodType<Verdict>;
export const summarySchema = z.strictObject({
  holds: z.int(),
  broken: z.int(),
  unchecked: z.int(),
  waived: z.int(),
}) satisfies z.ZodType<Summary>;

const claimsStateSchema = z.strictObject({
  failure: z
    .string()
    .optional()
    .describe('what failed, where the claims could not be judged; it can be tried again'),
  revision: z.int(),
  done: z.boolean().describe('whether all claims of the revision have been judged'),
  claims: z.array(judgedClaim),
  summary: summarySchema,
  elapsedMs: z.number(),
});
export type ClaimsState = z.infer<typeof claimsStateSchema>;

const standing = z.strictObject({ verdict, against: z.int() });
const tryStateSchema = z.strictObject({
  changes: z
    .array(
      z.strictObject({
        id: z.string(),
        says: z.string(),
        weight: z.enum(['blocks', 'warns']),
        before: standing.optional().describe('missing for a new claim'),
        after: standing,
      }),
    )
    .describe('claims whose verdict or count would be another'),
  gone: z.array(z.string()).describe('claims that would not be made any more'),
  left: z.int().describe('claims that there was no time to judge'),
});
/** What an edit would do to the claims. */
export type TryState = z.infer<typeof tryStateSchema>;

const releaseStateSchema = z.strictObject({
  ready: z.boolean(),
  done: z.boolean(),
  failure: z.string().optional().describe('what failed, where the claims could not be judged'),
  unjudged: z.array(judgedClaim).describe('blocking claims without a verdict that a release needs'),
  blocking: z.array(judgedClaim),
  warning: z.array(judgedClaim),
  waived: z.array(judgedClaim),
});
export type ReleaseState = z.infer<typeof releaseStateSchema>;

/** Claims and their verdicts. */
export const claims = {
  get: endpoint({
    method: 'GET',
    path: '/models/:id/claims',
    says: 'The claims of the head with the verdicts that stand',
    answer: claimsStateSchema,
  }),
  judge: endpoint({
    method: 'POST',
    path: '/models/:id/claims/judge',
    says: 'Judges the claims again, after a run that failed',
    answer: claimsStateSchema,
  }),
  preview: endpoint({
    method: 'POST',
    path: '/models/:id/try',
    says: 'What an edit would do to the claims; it is not made',
    request: z.strictObject({ edit: editSchema }),
    answer: tryStateSchema,
  }),
  interest: endpoint({
    method: 'PUT',
    path: '/models/:id/interest',
    says: 'Says what somebody looks at: its claims are judged first',
    request: z.strictObject({ names: z.array(z.string().max(500)).max(20) }),
    answer: doneSchema,
  }),
};

/** What leaves the workspace. */
export const release = {
  get: endpoint({
    method: 'GET',
    path: '/models/:id/release',
    says: 'What stands against a release of the head',
    answer: releaseStateSchema,
  }),
  modelFile: endpoint({
    method: 'GET',
    path: '/models/:id/release/model',
    says: 'The model file of the head',
    answer: z.string(),
    gives: 'file',
  }),
  catalogue: endpoint({
    method: 'GET',
    path: '/models/:id/release/catalogue',
    says: 'The head as a page to hand over, with the verdicts that stand and what it weighs: HTML or Markdown',
    search: z.strictObject({ as: z.enum(['html', 'md']).default('html') }),
    answer: z.string(),
    gives: 'file',
  }),
  definitions: endpoint({
    method: 'GET',
    path: '/models/:id/release/ddl',
    says: 'Definitions of the tables in a dialect of SQL; refused while a blocking claim is broken or has no verdict',
    search: z.strictObject({ dialect: z.string().optional() }),
    answer: z.string(),
    gives: 'file',
  }),
};
