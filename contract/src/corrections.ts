import * as z from 'zod';
import type { ListedCorrection } from '@crease/core/corrections';
import { endpoint } from './endpoint.ts';
import { ofCore, valueSchema } from './ofCore.ts';

const valueText = z.string().max(20_000).nullable();
const said = z.string().max(2000).optional();

/** A value that somebody enters by hand over the one of a row. */
export const enteredSchema = z.strictObject({
  key: z.array(valueSchema).min(1).describe("the row's key, as answers have values"),
  value: valueText.describe('as a file of the table would have it'),
  comment: said,
  from: z.string().optional().describe('the first day on which it holds, in ISO 8601'),
  to: z.string().optional().describe('the last day'),
});
export type Entered = z.output<typeof enteredSchema>;

const author = z.string().trim().max(200).optional().describe('written down, not authenticated');
const revised = z.strictObject({
  revision: z.int(),
  added: z.int(),
  unreadable: z.int().describe('of these, corrections that cannot be read, and change nothing'),
});

const listSchema = z.strictObject({
  of: z.string().describe('`table.column`'),
  file: z.string().describe('its name in a folder of the model'),
  key: z.array(z.string()),
  isRead: z.boolean().describe('whether its rows are here'),
  entries: z.array(ofCore<ListedCorrection>('a correction, and what becomes of it')),
  refusal: z.string().optional().describe('why the column cannot be corrected'),
});
export type CorrectionsState = z.infer<typeof listSchema>;

/** Values by hand. */
export const corrections = {
  get: endpoint({
    method: 'GET',
    path: '/models/:id/corrections',
    says: 'Corrections by column, with what becomes of each as of the day of the model',
    search: z.strictObject({ of: z.string().optional() }),
    answer: z.array(listSchema),
  }),
  add: endpoint({
    method: 'POST',
    path: '/models/:id/corrections',
    says: 'Enters corrections of a column',
    request: z.strictObject({
      of: z.string().min(1),
      entries: z.array(enteredSchema).min(1).max(10_000),
      author,
    }),
    answer: revised,
  }),
  read: endpoint({
    method: 'POST',
    path: '/models/:id/corrections/file',
    says: 'Reads corrections from the text of a delimited file: behind those that are there, or in their place',
    request: z.strictObject({
      of: z.string().min(1),
      text: z.string().min(1).max(20_000_000),
      mode: z.enum(['add', 'replace']).default('add'),
    }),
    answer: revised,
  }),
  file: endpoint({
    method: 'GET',
    path: '/models/:id/corrections/file',
    says: 'The corrections of a column as a delimited file',
    search: z.strictObject({ of: z.string() }),
    answer: z.string(),
    gives: 'file',
  }),
};
