import * as z from 'zod';
import { DATE, parseType, textReader } from '../values/index.ts';
import { stepsSchema } from './steps.ts';

/** The format version that this program writes and the newest that it reads. */
export const FORMAT_VERSION = 1;

const name = z.string().min(1, 'a name must not be empty').max(200, 'a name has at most 200 characters');
const text = z.string().max(20_000);
const readDay = textReader(DATE);
const day = z
  .string()
  .refine(
    (text) => /^\d{4}-\d{2}-\d{2}$/.test(text) && readDay(text) !== undefined,
    'a day is written like 2026-06-30',
  );

export const columnSchema = z.strictObject({
  name,
  title: text.optional(),
  description: text.optional(),
  type: z.string().refine((type) => parseType(type) !== undefined, {
    error: (issue) =>
      `"${String(issue.input)}" is no type: integer, decimal(p,s), double, text, boolean, date, timestamp`,
  }),
  pattern: z.string().optional(),
  /** The most characters of a text, for databases that are made from the model. */
  length: z.int().min(1).max(10_000_000).optional(),
  /** Whether a database that is made from the model numbers its rows itself. */
  identity: z.boolean().optional(),
  /** Its name in the file or table that it comes from, if another. */
  sourceName: z.string().optional(),
  use: z.enum(['key', 'reference', 'attribute', 'quantity']).optional(),
  aggregate: z.enum(['sum', 'avg', 'min', 'max', 'count', 'distinct', 'none']).optional(),
  hidden: z.boolean().optional(),
  formula: text.optional(),
  folder: text.optional(),
  format: z.lazy(() => formatSchema).optional(),
});

export const formatSchema = z.strictObject({
  decimals: z.int().min(0).max(15).optional(),
  thousands: z.boolean().optional(),
  unit: z.string().max(20).optional(),
  /** The unit stands before the number, not behind it. */
  unitBefore: z.boolean().optional(),
  percent: z.boolean().optional(),
  /** Numbers are shown as so many thousands (k) or millions (M). */
  scale: z.union([z.literal(1000), z.literal(1_000_000)]).optional(),
  negative: z.enum(['minus', 'brackets']).optional(),
  /** What is shown for null, and where a measure does not apply. */
  null: z.string().max(20).optional(),
  doesNotApply: z.string().max(20).optional(),
  /** A number of minutes as hours and minutes. */
  duration: z.literal('h:mm').optional(),
  /** How days and moments are written: dd.MM.yyyy. */
  pattern: z.string().max(40).optional(),
});

const json = z.json();

const sourceSchema = z.union([
  z.strictObject({
    file: z.string().min(1),
    delimiter: z.string().length(1).optional(),
    quote: z.string().max(1).optional(),
    header: z.boolean().optional(),
    nulls: z.array(z.string()).optional(),
    encoding: z.enum(['utf-8', 'utf-16le', 'utf-16be', 'windows-1252']).optional(),
    decimalComma: z.boolean().optional(),
    thousands: z.string().length(1).optional(),
    skip: z.int().min(1).optional(),
  }),
  z.strictObject({ connection: z.string(), schema: z.string().optional(), table: z.string() }),
  z.strictObject({ steps: stepsSchema }),
  z.strictObject({
    calendar: z.strictObject({ from: day, to: day, fiscalYear: z.lazy(() => fiscalYearSchema).optional() }),
  }),
  z.strictObject({ members: z.array(z.record(z.string(), json)) }),
]);

/**
 * A question that a fact must answer: in words, and as the columns and measures that it takes, which need not
 * be there yet.
 */
export const questionSchema = z.strictObject({
  ask: text.min(1, 'a question needs words'),
  by: z.array(z.string().min(1)).optional(),
  measures: z.array(name).optional(),
});

/** Bytes that a model or table may take, held. */
const budgetSchema = z.strictObject({ bytes: z.int().min(1) });

export const tableSchema = z.strictObject({
  name,
  title: text.optional(),
  description: text.optional(),
  role: z.enum(['fact', 'dimension', 'bridge', 'staging']),
  snapshot: z.string().nullish(),
  source: sourceSchema.optional(),
  grain: text.optional(),
  process: text.optional(),
  questions: z.array(questionSchema).optional(),
  key: z.array(name).optional(),
  label: name.optional(),
  validity: z.strictObject({ of: z.array(name), from: name, to: name }).optional(),
  weight: z.strictObject({ column: name, per: z.array(name) }).optional(),
  columns: z.array(columnSchema),
  /** Rows are kept in parts by a column: those of a period, or of a value. Loads do not touch closed ones. */
  partition: z
    .strictObject({
      by: name,
      every: z.enum(['year', 'quarter', 'month', 'value']),
      closed: z.array(z.string().min(1)).optional(),
    })
    .optional(),
  budget: budgetSchema.optional(),
  /** Rows of a connected database that are never brought in stay there; by default they are held here. */
  held: z.boolean().optional(),
  /** A column that grows with every change of a row: what is new is told by it. */
  watermark: name.optional(),
  hidden: z.boolean().optional(),
});

const endSchema = z.strictObject({
  table: name,
  columns: z.array(name).min(1, 'a relationship joins on at least one column'),
});

export const relationshipSchema = z.strictObject({
  name,
  title: text.optional(),
  role: text.optional(),
  from: endSchema,
  to: endSchema,
  cardinality: z.enum(['many-to-one', 'one-to-one', 'many-to-many', 'many-to-level']).optional(),
  default: z.boolean().optional(),
});

export const hierarchySchema = z.strictObject({
  name,
  title: text.optional(),
  description: text.optional(),
  table: name,
  levels: z
    .array(
      z.strictObject({
        name,
        column: z.string(),
        key: z.union([z.string(), z.array(z.string())]).optional(),
        orderBy: z.string().optional(),
      }),
    )
    .optional(),
  key: name.optional(),
  parent: name.optional(),
  label: name.optional(),
  ownRows: z.enum(['shown', 'hidden']).optional(),
  default: z.boolean().optional(),
});

/**
 * What a measure should come to: another measure in the same cell, or a number. Bands are shares of it, least
 * first, at which the state changes.
 */
export const goalSchema = z
  .strictObject({
    measure: name.optional(),
    value: z.number().optional(),
    bands: z.array(z.number()).min(1).max(4).optional(),
    /** Whether more is better, or less; more by default. */
    good: z.enum(['high', 'low']).optional(),
  })
  .refine(
    (goal) => (goal.measure === undefined) !== (goal.value === undefined),
    'a goal has either "measure" or "value"',
  )
  .refine(
    ({ bands }) => !bands || bands.every((band, i) => i === 0 || band > bands[i - 1]!),
    'the bands of a goal ascend',
  );
export type Goal = z.infer<typeof goalSchema>;

export const measureSchema = z.strictObject({
  name,
  title: text.optional(),
  description: text.optional(),
  table: name.optional(),
  formula: text,
  format: formatSchema.optional(),
  folder: text.optional(),
  hidden: z.boolean().optional(),
  unreached: z.enum(['repeat']).optional(),
  /** The relationship that it goes by, where several lead to one table; a `via` in a formula wins. */
  via: name.optional(),
  goal: goalSchema.optional(),
});

const queryColumn = z.string().min(1);
/**
 * A member that is no value: the first reference on the way is null, or a reference on the way has no
 * partner.
 */
const noMember = z.union([
  z.strictObject({ null: z.literal(true) }),
  z.strictObject({ unmatched: z.literal(true) }),
]);
export type NoMember = z.infer<typeof noMember>;
const noMemberOrValue = [z.string(), z.number(), z.boolean(), z.null(), noMember] as const;
const member = z.union(noMemberOrValue);
/** What `top` leaves over, as one member. */
const othersMember = z.strictObject({ others: z.literal(true) });
export type Others = z.infer<typeof othersMember>;

const plainFilter = z.union([
  z.strictObject({
    column: queryColumn,
    in: z.array(member),
  }),
  z.strictObject({ where: z.string().min(1) }),
  z.strictObject({ period: z.string().min(1), calendar: z.string().optional() }),
]);
const byItem = z.union([
  queryColumn,
  z.strictObject({ hierarchy: z.string(), level: z.string() }),
  z.strictObject({ hierarchy: z.string(), depth: z.int().min(1) }),
]);
/** An attribute on the spot: a row formula of a table, under a name of its own. */
const attributeOnTheSpot = z.strictObject({ name, formula: z.string().min(1), of: name });
const askedItem = z.union([byItem, attributeOnTheSpot]);

const columnAggregates = ['sum', 'min', 'max', 'avg', 'count', 'distinct'] as const;
/** A measure on the spot, or a column with the aggregate that it has by default or another. */
const askedMeasure = z.union([
  z.string(),
  z.strictObject({ name, formula: z.string().min(1), format: formatSchema.optional() }),
  z.strictObject({ column: queryColumn, aggregate: z.enum(columnAggregates).optional() }),
]);

const direction = z.enum(['ascending', 'descending']);
/** Members of the last item of `by` that come first by a measure, within members of other items. */
const topFilter = z.strictObject({
  top: z.int().min(1),
  of: z.string().min(1),
  per: z.array(askedItem).optional(),
  others: z.boolean().optional(),
  order: direction.optional(),
});
const filterSchema = z.union([plainFilter, z.strictObject({ having: z.string().min(1) }), topFilter]);

const memberOfCell = z.union([...noMemberOrValue, othersMember, z.strictObject({ key: z.array(member) })]);
/**
 * A cell of an answer: a measure, and the members of its row. Fewer members than items address a subtotal,
 * none the total; `key` names a member by its key where labels are not unique. `members` is the same as `by`.
 */
export const cellSchema = z
  .strictObject({
    measure: z.string().min(1),
    by: z.array(memberOfCell).optional(),
    across: z.array(memberOfCell).optional(),
    members: z.array(memberOfCell).optional(),
  })
  .refine((cell) => !(cell.by && cell.members), 'a cell has either "by" or "members"');
export type AskedCell = z.output<typeof cellSchema>;
export type MemberOfCell = z.output<typeof memberOfCell>;

/** A query (a trial): `by` columns or levels, measures, filters. */
export const querySchema = z.strictObject({
  by: z.array(askedItem).optional(),
  /** As `by`, laid out as columns. */
  across: z.array(askedItem).optional(),
  measures: z.array(askedMeasure),
  filters: z.array(filterSchema).optional(),
  sort: z
    .array(z.strictObject({ of: z.union([z.string(), byItem]), order: direction.optional() }))
    .optional(),
  limit: z.int().min(0).optional(),
  totals: z.boolean().optional(),
  subtotals: z.boolean().optional(),
  empty: z.enum(['show']).optional(),
  /** Tells rows without a member apart by why they have none. */
  unmatched: z.enum(['apart']).optional(),
  /** In place of the model's day. */
  asOf: day.optional(),
});

const ownTitle = { title: text.optional() };
/** What an audience sees; each object by its name, or with a title of its own for this audience. */
export const perspectiveSchema = z.strictObject({
  name,
  title: text.optional(),
  tables: z.array(z.union([name, z.strictObject({ table: name, ...ownTitle })])),
  columns: z.array(z.union([z.string(), z.strictObject({ column: z.string(), ...ownTitle })])).optional(),
  hierarchies: z
    .array(z.union([z.string(), z.strictObject({ hierarchy: z.string(), ...ownTitle })]))
    .optional(),
  measures: z.array(z.union([name, z.strictObject({ measure: name, ...ownTitle })])).optional(),
  listings: z.array(z.union([name, z.strictObject({ listing: name, ...ownTitle })])).optional(),
  trials: z.array(z.union([name, z.strictObject({ trial: name, ...ownTitle })])).optional(),
});

/** A picture of some tables, or of all; positions are those that somebody has chosen, in diagram units. */
export const diagramSchema = z.strictObject({
  name,
  title: text.optional(),
  all: z.boolean().optional(),
  detail: z.enum(['keys', 'columns']).optional(),
  tables: z.array(z.strictObject({ table: name, x: z.number().optional(), y: z.number().optional() })),
});

/** A claim by its kind and the parts that its subject is made of. */
export const claimRefSchema = z.strictObject({
  kind: z.string().min(1),
  table: name.optional(),
  column: name.optional(),
  relationship: name.optional(),
  fact: name.optional(),
  hierarchy: z.string().optional(),
  level: name.optional(),
  measure: name.optional(),
  dimension: name.optional(),
  perspective: name.optional(),
  answer: name.optional(),
  target: name.optional(),
});
export type ClaimRef = z.infer<typeof claimRefSchema>;

export const waiverSchema = z.strictObject({
  /** By kind and parts; an id as text is still read. */
  claim: z.union([z.string().min(1), claimRefSchema]),
  reason: z.string().min(1, 'a waiver needs a reason'),
  author: z.string().optional(),
  until: day.optional(),
});

const fiscalYearSchema = z.strictObject({
  firstMonth: z.int().min(1).max(12),
  namedBy: z.enum(['start', 'end']),
});

export const calendarSchema = z.strictObject({
  table: name,
  day: name,
  fiscalYear: fiscalYearSchema.optional(),
  /** The calendar of another model that it is kept alike to, in a workspace that has that model. */
  follows: z.strictObject({ model: name, table: name }).optional(),
});

/** Measures that are one measure over several periods. */
export const periodFamilySchema = z.strictObject({
  measure: name,
  calendar: name.optional(),
  /** The relationship to the calendar that they go by. */
  via: name.optional(),
  periods: z.array(z.string()),
});

/** A trial that is kept: its question, and how its answer is looked at. */
export const trialSchema = z.strictObject({
  name,
  title: text.optional(),
  folder: text.optional(),
  query: querySchema,
  view: z
    .strictObject({
      as: z.enum(['table', 'chart', 'sql']).optional(),
      form: z.string().optional(),
      axes: z.record(z.string(), z.enum(['left', 'right'])).optional(),
      sameScale: z.boolean().optional(),
    })
    .optional(),
});

/** The answer that is known to a trial that is kept, or to a question of its own. */
export const knownAnswerSchema = z.strictObject({
  name,
  trial: name.optional(),
  query: querySchema.optional(),
  rows: z.array(z.array(z.union([...noMemberOrValue, othersMember]))),
  tolerance: z.number().min(0).optional(),
});

/** Rows of a fact as people list them: their columns, headings and order, and for which measures. */
export const detailListingSchema = z.strictObject({
  name,
  title: text.optional(),
  table: name,
  /** Measures that it is offered for; by default all over its table. */
  measures: z.array(name).optional(),
  /** Measures that it is not offered for. */
  except: z.array(name).optional(),
  where: z.string().min(1).optional(),
  columns: z.array(z.union([z.string(), z.strictObject({ column: z.string(), title: text.optional() })])),
  sort: z.array(z.strictObject({ of: z.string(), order: direction.optional() })).optional(),
  limit: z.int().min(1).optional(),
});

/** Values that people have written over those of a column, and the file that they lie in. */
export const correctionsSchema = z.strictObject({
  /** `table.column`. */
  of: z.string().min(1),
  source: z.strictObject({ file: z.string().min(1) }),
});

const path = z.string().min(1).max(1000);
/** Whether readers see what is released there; they do where nothing is said. */
const readers = z.boolean().optional();
/** Where a model is released to; without secrets, which are the connection's. */
export const targetSchema = z.union([
  z.strictObject({
    name,
    kind: z.literal('postgresql'),
    connection: z.string().min(1),
    schema: name,
    /** Roles that exist and get reading rights, by perspective. */
    grant: z.record(z.string(), z.string().min(1)).optional(),
    readers,
  }),
  z.strictObject({ name, kind: z.literal('sqlite'), file: path, readers }),
  z.strictObject({ name, kind: z.literal('folder'), path, as: z.enum(['parquet', 'csv']), readers }),
]);

export const modelSchema = z.strictObject({
  crease: z.literal(FORMAT_VERSION),
  name,
  title: text.optional(),
  description: text.optional(),
  asOf: day.optional(),
  budget: budgetSchema.optional(),
  tables: z.array(tableSchema),
  relationships: z.array(relationshipSchema).optional(),
  hierarchies: z.array(hierarchySchema).optional(),
  calendars: z.array(calendarSchema).optional(),
  measures: z.array(measureSchema).optional(),
  periodFamilies: z.array(periodFamilySchema).optional(),
  perspectives: z.array(perspectiveSchema).optional(),
  detailListings: z.array(detailListingSchema).optional(),
  knownAnswers: z.array(knownAnswerSchema).optional(),
  waivers: z.array(waiverSchema).optional(),
  diagrams: z.array(diagramSchema).optional(),
  trials: z.array(trialSchema).optional(),
  corrections: z.array(correctionsSchema).optional(),
  targets: z.array(targetSchema).optional(),
});

export type Model = z.infer<typeof modelSchema>;
export type Table = z.infer<typeof tableSchema>;
export type ModelColumn = z.infer<typeof columnSchema>;
export type Partition = NonNullable<Table['partition']>;
export type Relationship = z.infer<typeof relationshipSchema>;
export type Hierarchy = z.infer<typeof hierarchySchema>;
export type Measure = z.infer<typeof measureSchema>;
export type PeriodFamily = z.infer<typeof periodFamilySchema>;
export type Perspective = z.infer<typeof perspectiveSchema>;
export type Diagram = z.infer<typeof diagramSchema>;
export type Question = z.infer<typeof questionSchema>;
export type Waiver = z.infer<typeof waiverSchema>;
export type ValueFormat = z.infer<typeof formatSchema>;
export type Query = z.infer<typeof querySchema>;
export type QueryFilter = z.infer<typeof filterSchema>;
export type PlainFilter = z.infer<typeof plainFilter>;
export type TopFilter = z.infer<typeof topFilter>;
export type ByItem = z.infer<typeof byItem>;
export type AskedItem = z.infer<typeof askedItem>;
export type MeasureItem = z.infer<typeof askedMeasure>;
/** A query of what the model has, without parts on the spot: one grouping of rows. */
export interface PlainQuery extends Omit<
  Query,
  'by' | 'across' | 'measures' | 'filters' | 'subtotals' | 'asOf'
> {
  by?: ByItem[] | undefined;
  measures: string[];
  filters?: PlainFilter[] | undefined;
}
export type KnownAnswer = NonNullable<Model['knownAnswers']>[number];
export type Trial = z.infer<typeof trialSchema>;
export type Corrections = z.infer<typeof correctionsSchema>;
export type ReleaseTarget = z.infer<typeof targetSchema>;
export type DetailListing = z.infer<typeof detailListingSchema>;
export type Cardinality = NonNullable<Relationship['cardinality']>;

/** The JSON Schema of the model file, generated from the schema above. */
export const modelJsonSchema = (): unknown => ({
  title: 'Crease model file',
  ...z.toJSONSchema(modelSchema, { unrepresentable: 'any' }),
});
