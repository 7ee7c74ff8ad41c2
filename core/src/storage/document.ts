import * as z from 'zod';
import type { Model } from '../model/index.ts';
import type { ColumnProfile, Profile } from './profile.ts';

const count = z.int().min(0);
const bytes = z.number().min(0);
const bits = z.number().min(0);

const columnSchema = z.strictObject({
  name: z.string(),
  type: z.string(),
  formula: z.string().optional(),
  distinct: count,
  nulls: count,
  runs: count,
  encoding: z.string(),
  held: z.array(z.strictObject({ encoding: z.string(), segments: count, bytes })),
  alternatives: z.array(z.strictObject({ encoding: z.string(), bytes })),
  dataBytes: bytes,
  dictionaryBytes: bytes,
  storedBytes: bytes.optional(),
  totalBytes: bytes,
  share: z.number(),
  valueBits: bits,
  runBits: bits,
  stepBits: bits.nullable(),
  given: z.strictObject({ column: z.string(), bits }).optional(),
  leastBits: bits,
  usedBy: z.array(z.string()),
  fault: z.string().optional(),
});

const tableSchema = z.strictObject({
  name: z.string(),
  role: z.enum(['fact', 'dimension', 'bridge', 'staging']),
  derived: z.boolean(),
  rows: count,
  segments: count,
  dataBytes: bytes,
  dictionaryBytes: bytes,
  relationshipBytes: bytes,
  hierarchyBytes: bytes,
  totalBytes: bytes,
  share: z.number(),
  columns: z.array(columnSchema),
  fault: z.string().optional(),
});

/**
 * A profile as it is handed on: sizes, counts and names, formulas if one wishes, and never a value of the
 * data. All bytes are of what is really encoded; bits are for each row, on average.
 */
export const profileDocumentSchema = z.strictObject({
  creaseProfile: z.literal(1),
  model: z.string(),
  title: z.string().optional(),
  revision: z.int().optional().describe('of the model, where it comes from a workspace'),
  at: z.iso.datetime().describe('when it was measured'),
  tables: z.array(tableSchema),
  relationships: z.array(z.strictObject({ name: z.string(), fromDistinct: count, toDistinct: count, bytes })),
  hierarchies: z.array(z.strictObject({ name: z.string(), bytes })),
  totalBytes: bytes,
  sampled: z
    .array(
      z.strictObject({
        table: z.string(),
        rows: count.describe('of the sample that was encoded'),
        errors: z
          .record(z.string(), z.number().min(0))
          .describe('by column: two standard errors of the bytes of a row, as a share of them'),
      }),
    )
    .optional()
    .describe('tables whose rows lie in a database, and were too many to be encoded as a whole'),
  advice: z.array(z.json()).optional().describe('as the command line gives it'),
  elapsedMs: z.number().optional(),
});
export type ProfileDocument = z.infer<typeof profileDocumentSchema>;

/** The schema of `profileDocumentSchema` in JSON Schema 2020-12, as it is published. */
export const profileJsonSchema = (): unknown => z.toJSONSchema(profileDocumentSchema);

/** A profile to keep or to hand on. `formulas`: those of derived columns go along. */
export function profileDocument(
  profile: Profile,
  model: Pick<Model, 'name' | 'title'>,
  made: { readonly at: string; readonly revision?: number; readonly formulas: boolean },
): ProfileDocument {
  return {
    creaseProfile: 1,
    model: model.name,
    ...(model.title === undefined ? {} : { title: model.title }),
    ...(made.revision === undefined ? {} : { revision: made.revision }),
    at: made.at,
    tables: profile.tables.map((t) => ({ ...t, columns: t.columns.map((c) => columnOf(c, made.formulas)) })),
    relationships: profile.relationships.map((r) => ({ ...r })),
    hierarchies: profile.hierarchies.map((h) => ({ ...h })),
    totalBytes: profile.totalBytes,
  };
}

function columnOf(
  column: ColumnProfile,
  formulas: boolean,
): ProfileDocument['tables'][number]['columns'][number] {
  const { picture: _, formula, held, alternatives, usedBy, ...rest } = column;
  return {
    ...rest,
    ...(formulas && formula !== undefined ? { formula } : {}),
    held: [...held],
    alternatives: [...alternatives],
    usedBy: [...usedBy],
  };
}
