import * as z from 'zod';

const of = { table: z.string(), column: z.string() };

/**
 * A way of making a table lighter, as data: it can be measured together with others before it is applied, and
 * is applied to the model as it is then.
 */
export const foldSchema = z.discriminatedUnion('do', [
  z.strictObject({ do: z.literal('leave-out'), ...of }),
  /** Of a moment its day under its name, and the second of the day beside it if `time` is kept. */
  z.strictObject({ do: z.literal('split-moment'), ...of, pattern: z.string().optional(), time: z.boolean() }),
  /** A text of two parts at a separator as two columns. */
  z.strictObject({ do: z.literal('split-text'), ...of, separator: z.string().min(1) }),
  z.strictObject({ do: z.literal('fewer-decimals'), ...of, decimals: z.int().min(0).max(9) }),
  /** Worked out from other columns in place of stored. */
  z.strictObject({ do: z.literal('derive'), ...of, formula: z.string() }),
  /** A text that refers to a dimension's key as a whole number that both have. */
  z.strictObject({ do: z.literal('whole-number-key'), ...of, relationship: z.string() }),
  /** To the dimension whose key determines it. */
  z.strictObject({ do: z.literal('move'), ...of, relationship: z.string() }),
  /** The first day or moment of a unit in place of the day or moment. */
  z.strictObject({
    do: z.literal('coarsen'),
    ...of,
    unit: z.enum(['minute', 'hour', 'month', 'quarter', 'year']),
  }),
  /** A column by formula worked out by loads, in place of when it is asked for. */
  z.strictObject({ do: z.literal('store'), ...of }),
  z.strictObject({ do: z.literal('sort'), ...of, by: z.array(z.string()).min(1) }),
  /** Rows in parts by the periods of the column. */
  z.strictObject({ do: z.literal('part'), ...of, every: z.enum(['year', 'quarter', 'month']) }),
]);
export type Fold = z.infer<typeof foldSchema>;
export type FoldOf<D extends Fold['do']> = Extract<Fold, { do: D }>;
