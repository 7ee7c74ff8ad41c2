import * as z from 'zod';
import { cellSchema, columnSchema, hierarchySchema, querySchema, tableSchema } from '@crease/core/model';
import type { LevelFindings, Proposal, TypeAdvice } from '@crease/core/propose';
import { REFERENCE_PATTERNS } from '@crease/core/propose';
import type {
  Additivity,
  Answer,
  CellTrace,
  Explanation,
  HierarchyFacts,
  MemberPage,
} from '@crease/core/query';
import type { Match } from '@crease/core/relate';
import type { QuestionState, StarAdvice } from '@crease/core/stars';
import { endpoint } from './endpoint.ts';
import type { RowsBehind } from '@crease/core/rows';
import { ofCore, valueSchema } from './ofCore.ts';

const formula = z.string().max(20_000);
const fault = z.strictObject({ start: z.int(), end: z.int(), message: z.string() });
/** By its path, or whole where it is only tried. */
const hierarchy = z.union([z.string(), hierarchySchema]);

/** What rows behind cells are asked for, of a model or a release. */
export const rowsRequest = {
  query: querySchema,
  cells: z.array(cellSchema).min(1).max(1000),
  listing: z.string().optional(),
  columns: z.array(z.string()).max(500).optional(),
  limit: z.int().min(0).max(100_000).optional(),
};

const end = z.strictObject({ table: z.string(), columns: z.array(z.string()).min(1).max(8) });

const formulaStateSchema = z.strictObject({
  faults: z.array(fault.extend({ line: z.int().optional(), column: z.int().optional() })),
  type: z.string().nullable().describe('of the result where the formula is sound'),
  laidOut: z.string().describe('the formula in canonical layout'),
  measures: z.array(z.string()),
  columns: z.array(z.string()),
  bases: z.array(z.string()).describe('base tables of its aggregates'),
  reachedBy: z.array(z.string()).describe('dimensions that reach all of them'),
});
export type FormulaState = z.infer<typeof formulaStateSchema>;

const columnFormulaStateSchema = z.strictObject({
  faults: formulaStateSchema.shape.faults,
  type: z.string().nullable(),
  laidOut: z.string(),
  columns: z.array(z.string()).describe('columns of its table that it uses'),
  types: z.array(z.string()).describe('of those columns'),
  rows: z
    .array(z.strictObject({ used: z.array(valueSchema), gives: valueSchema }))
    .describe('what it gives for the first rows, beside the columns that it uses'),
  looked: z.int().describe('of so many rows that it was worked out for, nulls and distinct are'),
  nulls: z.int(),
  distinct: z.int(),
});
export type ColumnFormulaState = z.infer<typeof columnFormulaStateSchema>;

export type Members = MemberPage;

export const rowPageSchema = z.strictObject({
  columns: z.array(z.strictObject({ name: z.string(), type: z.string() })),
  rows: z.array(z.array(valueSchema)),
  total: z.int(),
});
export type RowPage = z.infer<typeof rowPageSchema>;

const columnFactsSchema = z.union([
  z.strictObject({ name: z.string(), fault: z.string().describe('why the column cannot be had') }),
  z.strictObject({
    name: z.string(),
    fault: z.undefined().optional(),
    rows: z.int(),
    nulls: z.int(),
    distinct: z.int(),
    encoding: z.string(),
    bytes: z.number(),
    least: valueSchema,
    greatest: valueSchema,
    frequent: z.array(z.strictObject({ value: valueSchema, rows: z.int() })),
    distribution: z.array(z.int()).describe('rows by stretches of the ordered values'),
  }),
]);
/** What the rows tell of a column. */
export type ColumnFacts = z.infer<typeof columnFactsSchema>;

export const valuesSchema = z.strictObject({
  type: z.string(),
  values: z.array(z.strictObject({ value: z.union([z.string(), z.number(), z.boolean()]), rows: z.int() })),
  distinct: z.int(),
});

const formulaUsesSchema = z.strictObject({
  name: z.string(),
  type: z.string().nullable().describe('null where the formula is in error'),
  measures: z.array(z.string()),
  columns: z.array(z.string()),
});
export type FormulaUses = z.infer<typeof formulaUsesSchema>;

const bothStateSchema = z.strictObject({
  agrees: z.boolean().nullable().describe('null where one of them could not answer'),
  rows: z.int().optional(),
  note: z.string().optional().describe('where they differ first, or why there is no comparison'),
});
export type BothState = z.infer<typeof bothStateSchema>;

/** Dialects in which a question is shown; a test holds them against those that the core writes. */
export const SQL_DIALECT_NAMES = ['sqlite', 'postgresql', 'duckdb', 'mariadb'] as const;

const elapsed = z.object({ elapsedMs: z.number() });
export const queryStateSchema = ofCore<Answer>(
  'columns, rows, totals, and measures that an attribute does not reach',
).and(elapsed);
export type QueryState = z.infer<typeof queryStateSchema>;
const proposalsSchema = z.strictObject({
  revision: z.int(),
  proposals: z.array(ofCore<Proposal>('a proposal with its evidence')),
});
export type ProposalsState = z.infer<typeof proposalsSchema>;
export type TraceState = CellTrace;
export type LevelFacts = HierarchyFacts;

/** Questions about a model and its rows. */
export const questions = {
  query: endpoint({
    method: 'POST',
    path: '/models/:id/query',
    says: 'Answers a query document',
    request: z.strictObject({
      query: querySchema,
      perspective: z.string().optional(),
      texts: z
        .enum(['code points', 'counting'])
        .default('code points')
        .describe('how texts are sorted: by code points, or numbers in them by value'),
      revision: z.int().optional().describe('of the model; the newest where none is named'),
      rows: z
        .enum(['now', 'then'])
        .default('now')
        .describe('of a revision: with the rows of today, or those that it stood on'),
    }),
    answer: queryStateSchema,
  }),
  answerFile: endpoint({
    method: 'GET',
    path: '/models/:id/answer',
    says: 'The answer to a query as a file: JSON, CSV or Parquet',
    search: z.strictObject({
      q: z.string().min(1).max(100_000).describe('a query document'),
      as: z.enum(['json', 'csv', 'parquet']).default('json'),
    }),
    answer: z.string(),
    gives: 'file',
  }),
  trace: endpoint({
    method: 'POST',
    path: '/models/:id/trace',
    says: 'Why a cell of an answer is what it is',
    request: z.strictObject({ query: querySchema, cell: cellSchema }),
    answer: ofCore<TraceState>('what the evaluator did for a cell'),
  }),
  explain: endpoint({
    method: 'POST',
    path: '/models/:id/explain',
    says: 'How a query is worked out: passes over rows, with rows and times',
    request: z.strictObject({ query: querySchema }),
    answer: ofCore<Explanation>('stages, and what the rest took'),
  }),
  rowsBehind: endpoint({
    method: 'POST',
    path: '/models/:id/rows-behind',
    says: 'The rows behind cells of an answer, for each aggregate of the measure',
    request: z.strictObject({
      ...rowsRequest,
      keys: z.boolean().optional().describe('whether rows come with their keys'),
    }),
    answer: ofCore<RowsBehind>('rows by aggregate, and what they add up to'),
  }),
  sql: endpoint({
    method: 'POST',
    path: '/models/:id/sql',
    says: 'The SQL that answers a query',
    request: z.strictObject({ query: querySchema, dialect: z.enum(SQL_DIALECT_NAMES) }),
    answer: z.strictObject({ sql: z.string() }),
  }),
  additivity: endpoint({
    method: 'GET',
    path: '/models/:id/additivity',
    says: 'Over which dimensions a measure adds up: as its formula says, and as its rows have it',
    search: z.strictObject({ measure: z.string() }),
    answer: z.array(ofCore<Additivity>('a dimension, what is read and what was tried')),
  }),
  askBoth: endpoint({
    method: 'POST',
    path: '/models/:id/ask-both',
    says: 'Answers a query on columns and in SQL, and tells whether the answers are the same',
    request: z.strictObject({ query: querySchema }),
    answer: bothStateSchema,
  }),
  formula: endpoint({
    method: 'POST',
    path: '/models/:id/formula',
    says: 'Checks the formula of a measure',
    request: z.strictObject({ formula, name: z.string().optional(), via: z.string().optional() }),
    answer: formulaStateSchema,
  }),
  formulaUses: endpoint({
    method: 'GET',
    path: '/models/:id/formula-uses',
    says: 'What each measure and derived column of the head uses, and what type it gives',
    answer: z.strictObject({
      measures: z.array(formulaUsesSchema),
      columns: z.array(formulaUsesSchema).describe('derived columns, as table.column'),
    }),
  }),
  columnFormula: endpoint({
    method: 'POST',
    path: '/models/:id/column-formula',
    says: 'Checks the formula of a column, and works it out for the first rows',
    request: z.strictObject({ table: z.string(), formula }),
    answer: columnFormulaStateSchema,
  }),
  members: endpoint({
    method: 'POST',
    path: '/models/:id/members',
    says: 'The members of a hierarchy below one of its members',
    request: z.strictObject({ hierarchy, path: z.array(valueSchema) }),
    answer: ofCore<Members>('a level, its members, and how many there are beyond them'),
  }),
  match: endpoint({
    method: 'POST',
    path: '/models/:id/match',
    says: 'How columns of two tables fit each other',
    request: z.strictObject({ from: end, to: end }),
    answer: ofCore<Match>('how rows of two tables find each other'),
  }),
  levels: endpoint({
    method: 'POST',
    path: '/models/:id/levels',
    says: 'What the rows tell of the levels of a hierarchy',
    request: z.strictObject({ hierarchy }),
    answer: ofCore<LevelFacts>('facts of the levels of a hierarchy'),
  }),
  foundLevels: endpoint({
    method: 'GET',
    path: '/models/:id/found-levels',
    says: 'Levels that the rows of a table, or of all tables, have',
    search: z.strictObject({ table: z.string().optional() }),
    answer: ofCore<LevelFindings>('chains of levels that were found'),
  }),
  starAdvice: endpoint({
    method: 'GET',
    path: '/models/:id/star-advice',
    says: 'Advice on stars',
    answer: ofCore<StarAdvice>('advice on dimensions and outriggers'),
  }),
  briefs: endpoint({
    method: 'GET',
    path: '/models/:id/briefs',
    says: 'Which questions of the briefs the model answers',
    answer: z.record(z.string(), z.array(ofCore<QuestionState>('a question, and what it lacks'))),
  }),
  types: endpoint({
    method: 'GET',
    path: '/models/:id/types',
    says: 'Columns whose values would be of a better type',
    answer: z.array(ofCore<TypeAdvice>('a column and a type that fits it better')),
  }),
  proposals: endpoint({
    method: 'GET',
    path: '/models/:id/proposals',
    says: 'A draft of stars from the tables',
    search: z.strictObject({
      pattern: z
        .enum(REFERENCE_PATTERNS, {
          error: ({ input }) => `"${String(input)}" is none of ${REFERENCE_PATTERNS.join(', ')}`,
        })
        .optional(),
    }),
    answer: proposalsSchema,
  }),
  draft: endpoint({
    method: 'POST',
    path: '/models/:id/proposals',
    says: 'A draft of stars that keeps to what was decided of it',
    request: z.strictObject({
      pattern: z.enum(REFERENCE_PATTERNS).optional(),
      roles: z.record(z.string(), tableSchema.shape.role).optional(),
      uses: z.record(z.string(), columnSchema.pick({ use: true, aggregate: true })).optional(),
      left: z.array(z.string()).optional().describe('ids of proposals that are left out'),
    }),
    answer: proposalsSchema,
  }),
  columns: endpoint({
    method: 'GET',
    path: '/models/:id/tables/:table/columns',
    says: 'What the rows tell of the columns of a table',
    answer: z.array(columnFactsSchema),
  }),
  rows: endpoint({
    method: 'GET',
    path: '/models/:id/tables/:table/rows',
    says: 'A page of the rows of a table',
    search: z.strictObject({
      offset: z.coerce.number<number | string>().int().min(0).default(0),
      count: z.coerce.number<number | string>().int().min(1).max(1000).default(100),
    }),
    answer: rowPageSchema,
  }),
  values: endpoint({
    method: 'GET',
    path: '/models/:id/values',
    says: 'Values of a column that contain a text',
    search: z.strictObject({ column: z.string(), search: z.string().default('') }),
    answer: valuesSchema,
  }),
};
