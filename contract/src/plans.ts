import * as z from 'zod';
import { endpoint } from './endpoint.ts';
import { jobStateSchema } from './intake.ts';
import { doneSchema } from './ofCore.ts';

const planName = z.string().trim().min(1, 'a load plan needs a name').max(100);

/** Loads in an order, run by hand, from the command line, or at times. */
export const loadPlanSchema = z.strictObject({
  name: planName,
  steps: z
    .array(
      z.strictObject({
        recipe: z.string().trim().min(1).max(100),
        file: z
          .string()
          .trim()
          .min(1)
          .max(300)
          .optional()
          .describe(
            "within the workspace's folder, `*` in the last part for any text; the newest one is read",
          ),
        parts: z.array(z.string().min(1)).min(1).optional(),
      }),
    )
    .min(1, 'a load plan needs at least one recipe')
    .max(100),
  at: z.string().trim().max(100).optional().describe('a cron expression of five fields'),
  isPaused: z.boolean().default(false),
  retries: z.int().min(0).max(9).default(1).describe('further tries of a step that failed'),
  pauseSeconds: z.int().min(0).max(3600).default(60).describe('before each of them'),
});
export type LoadPlan = z.output<typeof loadPlanSchema>;

const stepRunSchema = z.strictObject({
  recipe: z.string(),
  source: z.string().optional().describe('the file, or the table of a database'),
  outcome: z.enum(['done', 'nothing new', 'failed', 'not run']),
  message: z.string().optional(),
  rows: z.int().optional(),
  changed: z.int().optional().describe('rows that are new, or other than before'),
  leftOut: z.int().optional(),
  elapsedMs: z.int(),
  attempts: z.int(),
});
export type StepRun = z.infer<typeof stepRunSchema>;

export const planRunSchema = z.strictObject({
  id: z.int(),
  plan: z.string(),
  by: z.enum(['time', 'hand', 'command']),
  due: z.string().optional().describe('when it was to be run, of one that runs at times'),
  startedAt: z.string(),
  endedAt: z.string(),
  outcome: z.enum(['done', 'failed', 'cancelled']),
  steps: z.array(stepRunSchema),
  broken: z.array(z.string()).describe('claims that were not broken before'),
  mended: z.array(z.string()).describe('claims that were broken before'),
});
export type PlanRun = z.infer<typeof planRunSchema>;

const plansStateSchema = z.strictObject({
  plans: z.array(
    z.strictObject({
      plan: loadPlanSchema,
      next: z.array(z.string()).describe('the next five times, of one that is not paused'),
    }),
  ),
  runs: z.array(planRunSchema).describe('the last runs first'),
  timeZone: z.string(),
});
export type PlansState = z.infer<typeof plansStateSchema>;

/** Load plans. */
export const plans = {
  get: endpoint({
    method: 'GET',
    path: '/models/:id/plans',
    says: 'Load plans with their next times, and how they ran',
    answer: plansStateSchema,
  }),
  put: endpoint({
    method: 'PUT',
    path: '/models/:id/plans/:plan',
    says: 'Keeps a load plan, in place of the one of that name',
    request: loadPlanSchema,
    answer: doneSchema,
  }),
  remove: endpoint({
    method: 'DELETE',
    path: '/models/:id/plans/:plan',
    says: 'Removes a load plan; what it loaded stays',
    answer: doneSchema,
  }),
  run: endpoint({
    method: 'POST',
    path: '/models/:id/plans/:plan/run',
    says: 'Runs a load plan now, as a job',
    answer: jobStateSchema,
  }),
};
