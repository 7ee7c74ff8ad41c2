import * as z from 'zod';

/** Which rows a join keeps: those that meet, all of the table's own, or all of both. */
export const JOIN_KINDS = ['inner', 'left', 'full'] as const;
export type JoinKind = (typeof JOIN_KINDS)[number];

const name = z.string().min(1);
const formula = z.string().min(1);
/** A column that is picked, under its own name or another. */
const picked = z.union([z.string(), z.strictObject({ column: z.string(), as: z.string() })]);
/** Columns that have to be equal: of the rows as they are, and of the other table. */
const equalKeys = z.array(z.tuple([z.string(), z.string()])).min(1);
const json = z.json();

/**
 * What each verb of a derived table takes, as the model's file writes it: `{ "filter": "kind = 'loan'" }`.
 * What a verb does is told by its kind, in `shape/steps`; it is listed here so that the file has a schema.
 */
export const STEP_ARGUMENTS = {
  from: z.string(),
  filter: formula,
  pick: z.array(picked).min(1),
  derive: z.strictObject({ name, formula }),
  distinct: z.literal(true),
  aggregate: z.strictObject({ by: z.array(z.string()), columns: z.record(z.string(), z.string()) }),
  join: z.strictObject({
    table: z.string(),
    kind: z.enum(JOIN_KINDS),
    on: equalKeys,
    columns: z.array(picked).optional(),
  }),
  lookup: z
    .strictObject({
      table: z.string(),
      on: equalKeys,
      columns: z.array(picked).min(1, 'name a column to add'),
      /**
       * Of the rows of a key that which is valid on the day of `at`. Without `to`, a row is valid until the
       * next one begins.
       */
      valid: z.strictObject({ at: name, from: name, to: name.optional() }).optional(),
      /** Of the rows of a key that with the largest value of this column. */
      newest: name.optional(),
    })
    .refine(
      (l) => !(l.valid && l.newest),
      'either "valid" or "newest" chooses among the rows of a key, not both',
    ),
  union: z.array(name).min(1, 'name at least one'),
  /** `nulls`: rows without a value are left out by default. */
  unpivot: z.strictObject({
    columns: z.array(picked).min(1, 'name at least one column'),
    name,
    value: name,
    nulls: z.literal('keep').optional(),
  }),
  pivot: z.strictObject({
    by: z.array(name),
    name,
    value: name,
    into: z.array(z.union([z.string(), z.strictObject({ value: z.string(), as: name })])),
  }),
  sort: z
    .array(
      z.union([
        z.string(),
        z.strictObject({ of: z.string(), order: z.enum(['ascending', 'descending']).optional() }),
      ]),
    )
    .min(1),
  number: name,
  off: z.record(z.string(), json) as z.ZodType<UnfinishedStep>,
} as const;

export type Verb = keyof typeof STEP_ARGUMENTS;
export type StepArgument<V extends Verb> = z.infer<(typeof STEP_ARGUMENTS)[V]>;
/** A step with its verb's argument. */
export type TypedStep = { [V in Verb]: { readonly [K in V]: StepArgument<V> } }[Verb];
/** A step that is not complete, or whose verb is not known: kept as it stands, and told to be broken. */
export type UnfinishedStep = Readonly<Record<string, unknown>>;
/** A step as the model writes it. */
export type Step = TypedStep | UnfinishedStep;

const typedSteps = Object.entries(STEP_ARGUMENTS).map(([verb, argument]) =>
  z.strictObject({ [verb]: argument }),
);

/** Steps in a model: typed where they are complete. */
export const stepsSchema = z.array(z.union([...typedSteps, z.record(z.string(), json)]));

/** What a step gives its verb; undefined where it is of another verb, or not complete. */
export const argumentOf = <V extends Verb>(step: Step, verb: V): StepArgument<V> | undefined =>
  STEP_ARGUMENTS[verb].safeParse((step as UnfinishedStep)[verb]).data as StepArgument<V> | undefined;
