import * as z from 'zod';
import type { JoinRemedy, StepState, StepTrace } from '@crease/core/shape';
import { endpoint } from './endpoint.ts';
import { ofCore, tableNameSchema } from './ofCore.ts';
import { rowPageSchema } from './questions.ts';

/** A way out of what a join does, and what stands after the last step with it. */
export type TriedRemedy = JoinRemedy & { after: StepState };
/** What stands after each step, and remedies of what its joins do. */
export type StepsState = StepTrace & { remedies: { place: number; remedies: TriedRemedy[] }[] };

/** Steps of a derived table as somebody tries them, before they are kept. */
const stepsRequest = z.strictObject({
  table: tableNameSchema,
  steps: z.array(z.record(z.string(), z.unknown())).min(1).max(200),
});

/** Tables that are derived from others. */
export const shaping = {
  trace: endpoint({
    method: 'POST',
    path: '/models/:id/steps',
    says: 'What stands after each of the steps that are tried',
    request: stepsRequest,
    answer: ofCore<StepsState>('states after each step, and remedies of what joins do'),
  }),
  rows: endpoint({
    method: 'POST',
    path: '/models/:id/steps/rows',
    says: 'A page of the rows after a step',
    request: stepsRequest.extend({
      place: z.int().min(1).describe('of the step, from 1'),
      offset: z.int().min(0).default(0),
      count: z.int().min(1).max(1000).default(50),
    }),
    answer: rowPageSchema,
  }),
};
