import * as z from 'zod';
import {
  calendarSchema,
  claimRefSchema,
  columnSchema,
  correctionsSchema,
  detailListingSchema,
  diagramSchema,
  hierarchySchema,
  knownAnswerSchema,
  measureSchema,
  modelSchema,
  periodFamilySchema,
  perspectiveSchema,
  relationshipSchema,
  tableSchema,
  targetSchema,
  trialSchema,
  waiverSchema,
} from '../model/index.ts';

/** Collections of named objects that edits put into and take out of. A new one is one line here. */
const COLLECTIONS = {
  tables: tableSchema,
  relationships: relationshipSchema,
  hierarchies: hierarchySchema,
  measures: measureSchema,
  perspectives: perspectiveSchema,
  diagrams: diagramSchema,
  detailListings: detailListingSchema,
  trials: trialSchema,
  targets: targetSchema,
} as const;
export type Collection = keyof typeof COLLECTIONS;

const puts = (Object.keys(COLLECTIONS) as Collection[]).map((collection) =>
  z.strictObject({
    do: z.literal(`put-${collection}`),
    name: z.string().nullable(),
    value: COLLECTIONS[collection],
  }),
);
const removes = (Object.keys(COLLECTIONS) as Collection[]).map((collection) =>
  z.strictObject({ do: z.literal(`remove-${collection}`), name: z.string() }),
);

const single = z.union([
  ...(puts as unknown as [z.ZodType<PutEdit>]),
  ...(removes as unknown as [z.ZodType<RemoveEdit>]),
  z.strictObject({
    do: z.literal('set-model'),
    change: z.strictObject({
      title: z.string().optional(),
      description: z.string().optional(),
      asOf: z.string().optional(),
      /** Null takes it away. */
      budget: modelSchema.shape.budget.unwrap().nullable().optional(),
    }),
  }),
  z.strictObject({
    do: z.literal('set-table'),
    table: z.string(),
    change: tableSchema.omit({ name: true, columns: true }).partial(),
  }),
  z.strictObject({
    do: z.literal('set-column'),
    table: z.string(),
    column: z.string(),
    change: columnSchema.omit({ name: true }).partial(),
  }),
  z.strictObject({ do: z.literal('put-column'), table: z.string(), value: columnSchema }),
  z.strictObject({ do: z.literal('remove-column'), table: z.string(), column: z.string() }),
  z.strictObject({
    do: z.literal('set-relationship'),
    name: z.string(),
    change: relationshipSchema.omit({ name: true }).partial(),
  }),
  z.strictObject({
    do: z.literal('set-period-families'),
    /** All families of a measure: they take the place of those that it has. */
    measure: z.string(),
    families: z.array(periodFamilySchema),
  }),
  z.strictObject({ do: z.literal('put-calendar'), value: calendarSchema }),
  z.strictObject({ do: z.literal('remove-calendar'), table: z.string() }),
  z.strictObject({ do: z.literal('waive'), value: waiverSchema }),
  z.strictObject({ do: z.literal('end-waiver'), claim: z.union([z.string(), claimRefSchema]) }),
  z.strictObject({ do: z.literal('put-corrections'), value: correctionsSchema }),
  z.strictObject({ do: z.literal('remove-corrections'), of: z.string() }),
  z.strictObject({ do: z.literal('put-known-answer'), value: knownAnswerSchema }),
  z.strictObject({ do: z.literal('remove-known-answer'), name: z.string() }),
  z.strictObject({
    do: z.literal('rename'),
    /** A table, a column of one, a measure or a relationship, by its name before the edit. */
    of: z.union([
      z.strictObject({ table: z.string() }),
      z.strictObject({ table: z.string(), column: z.string() }),
      z.strictObject({ measure: z.string() }),
      z.strictObject({ relationship: z.string() }),
    ]),
    to: z.string().min(1).max(200),
  }),
]);

export interface PutEdit {
  do: `put-${Collection}`;
  /** The object's name before the edit; null for a new one. */
  name: string | null;
  value: { name: string; [field: string]: unknown };
}
export interface RemoveEdit {
  do: `remove-${Collection}`;
  name: string;
}
export type SingleEdit = z.infer<typeof single>;

/** An edit as plain data. Several in a list are one edit: applied, undone and redone together. */
export const editSchema = z.array(single).min(1).max(5000);
export type Edit = SingleEdit[];
