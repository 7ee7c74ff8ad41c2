import * as z from 'zod';
import type { ClosedTrial } from '@crease/core/release';
import type { Answer } from '@crease/core/query';
import type { Model } from '@crease/core/model';
import { modelSchema, querySchema } from '@crease/core/model';
import type { RowsBehind } from '@crease/core/rows';
import { endpoint } from './endpoint.ts';
import { ofCore } from './ofCore.ts';
import { queryStateSchema, rowsRequest, valuesSchema } from './questions.ts';

const whichRelease = z
  .int()
  .optional()
  .describe('one that was seen before, so that a page keeps to it; the newest where none is named');
const whichInAddress = z.coerce.number<number | string>().int().optional();
const texts = z.enum(['code points', 'counting']).default('code points');

const releaseOfReaders = z.strictObject({
  id: z.int(),
  number: z.int().describe('as its target counts'),
  revision: z.int(),
  at: z.string(),
  author: z.string().optional(),
  day: z.string().describe('from which periods count'),
});
/** The release that readers see. */
export type ReleaseOfReaders = z.infer<typeof releaseOfReaders>;

const releasedSummarySchema = z.strictObject({
  id: z.int(),
  name: z.string(),
  title: z.string(),
  description: z.string().optional(),
  release: releaseOfReaders,
  perspectives: z.array(z.strictObject({ name: z.string(), title: z.string() })),
});
/** A model of which readers see a release. */
export type ReleasedSummary = z.infer<typeof releasedSummarySchema>;

const releasedStateSchema = z.strictObject({
  id: z.int(),
  perspective: z.strictObject({ name: z.string(), title: z.string() }),
  release: releaseOfReaders,
  model: ofCore<Model>('what is shown of the model, and nothing else', modelSchema),
  closedTrials: z.array(ofCore<ClosedTrial>('a kept trial whose answer may be seen, but not its question')),
});
/** What readers of a perspective see of a released model. */
export type ReleasedState = z.infer<typeof releasedStateSchema>;

/** A released model as its readers see it: nothing here writes, and nothing that is not shown is named. */
export const released = {
  list: endpoint({
    method: 'GET',
    path: '/released',
    says: 'Models of which readers see a release, with their perspectives',
    answer: z.array(releasedSummarySchema),
  }),
  get: endpoint({
    method: 'GET',
    path: '/released/:model/:perspective',
    says: 'What a perspective shows of a released model',
    search: z.strictObject({ release: whichInAddress }),
    answer: releasedStateSchema,
  }),
  newest: endpoint({
    method: 'GET',
    path: '/released/:model/:perspective/newest',
    says: 'The newest release, so that a page can tell of it',
    answer: releaseOfReaders,
  }),
  query: endpoint({
    method: 'POST',
    path: '/released/:model/:perspective/query',
    says: 'Answers a query on the rows of the release',
    request: z.strictObject({ query: querySchema, texts, release: whichRelease }),
    answer: queryStateSchema,
  }),
  rowsBehind: endpoint({
    method: 'POST',
    path: '/released/:model/:perspective/rows-behind',
    says: 'The rows behind cells of an answer, with the columns that are shown',
    request: z.strictObject({
      ...rowsRequest,
      release: whichRelease,
    }),
    answer: ofCore<RowsBehind>('rows by aggregate, and what they add up to'),
  }),
  values: endpoint({
    method: 'GET',
    path: '/released/:model/:perspective/values',
    says: 'Values of a column that contain a text',
    search: z.strictObject({
      column: z.string(),
      search: z.string().default(''),
      release: whichInAddress,
    }),
    answer: valuesSchema,
  }),
  trial: endpoint({
    method: 'GET',
    path: '/released/:model/:perspective/trials/:trial',
    says: 'The answer of a kept trial: JSON, or CSV or Parquet with "as"',
    search: z.strictObject({
      as: z.enum(['json', 'csv', 'parquet']).default('json'),
      release: whichInAddress,
    }),
    answer: ofCore<Answer>('columns, rows, and totals where the trial has them'),
  }),
  catalogue: endpoint({
    method: 'GET',
    path: '/released/:model/:perspective/catalogue',
    says: 'What is shown as one page of HTML, without rows',
    search: z.strictObject({ release: whichInAddress }),
    answer: z.string(),
    gives: 'file',
  }),
};
