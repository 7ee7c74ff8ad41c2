import * as z from 'zod';
import { summarySchema } from './claims.ts';
import { endpoint } from './endpoint.ts';
import { jobStateSchema } from './intake.ts';

const liveEventSchema = z.discriminatedUnion('kind', [
  z.strictObject({ kind: z.literal('revision'), revision: z.int(), says: z.string(), by: z.string() }),
  z.strictObject({ kind: z.literal('claims'), revision: z.int(), done: z.boolean(), summary: summarySchema }),
  z.strictObject({ kind: z.literal('job'), job: jobStateSchema }),
]);
/** Events that the server sends to every browser that shows a model. */
export type LiveEvent = z.infer<typeof liveEventSchema>;

/** Server-Sent Events of the HTML standard. */
export const events = {
  follow: endpoint({
    method: 'GET',
    path: '/models/:id/events',
    says: 'What happens to a model, as it happens',
    answer: liveEventSchema,
    gives: 'events',
  }),
};

/** What the server says when it says no: what, where, what to do. `code` is one of docs/errors.md. */
export const errorSchema = z.object({
  code: z.string(),
  message: z.string(),
  revision: z.int().optional().describe('with `conflict`: the revision that is the head now'),
});
export type ErrorState = z.infer<typeof errorSchema>;
