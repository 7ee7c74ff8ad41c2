import * as z from 'zod';
import { endpoint } from './endpoint.ts';

const calendarsStateSchema = z.strictObject({
  offered: z
    .array(
      z.strictObject({
        model: z.int(),
        title: z.string(),
        table: z.string(),
        day: z.string(),
        rows: z.int().nullable(),
      }),
    )
    .describe('of other models, to be taken over'),
  links: z
    .array(
      z.strictObject({
        table: z.string(),
        model: z.int().nullable(),
        title: z.string(),
        inStep: z.boolean(),
      }),
    )
    .describe(
      "own ones that follow another model's; null where the workspace does not have that model, or its calendar, any more",
    ),
  followers: z
    .array(z.strictObject({ table: z.string(), model: z.int(), title: z.string() }))
    .describe("other models whose calendars follow this one's"),
});
/** Calendars that models of one workspace share. */
export type CalendarsState = z.infer<typeof calendarsStateSchema>;

/** Calendars that models share. */
export const calendars = {
  get: endpoint({
    method: 'GET',
    path: '/models/:id/calendars',
    says: 'Calendars that this model shares with others, or could',
    answer: calendarsStateSchema,
  }),
  take: endpoint({
    method: 'POST',
    path: '/models/:id/calendars',
    says: 'Takes a calendar over from another model of the workspace',
    request: z.strictObject({
      base: z.int(),
      model: z.int(),
      table: z.string().min(1),
      how: z.enum(['link', 'copy']),
    }),
    answer: z.strictObject({ revision: z.int() }),
  }),
  follow: endpoint({
    method: 'POST',
    path: '/models/:id/calendars/:table/follow',
    says: 'Brings a calendar into step with the one that it follows',
    answer: calendarsStateSchema,
  }),
};
