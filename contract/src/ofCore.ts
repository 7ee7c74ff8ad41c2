import * as z from 'zod';

/**
 * An answer that the core works out: its type is the core's, which says what its parts mean. `schema` is what
 * the OpenAPI document shows of it where the core has a schema; else that is made from the type, found again
 * by `says` (`npm run schemas`).
 */
export function ofCore<T>(says: string, schema?: z.ZodType): z.ZodType<T> {
  const shape = z.custom<T>((value) => value !== undefined, `no ${says}`).meta({ description: says });
  if (schema) SCHEMAS.set(shape, schema);
  else TYPED.set(shape, says);
  return shape;
}

/** Schemas of the core that stand for types of the core. */
export const SCHEMAS = new Map<unknown, z.ZodType>();

/** What is said of answers whose schemas are made from types of the core. */
export const TYPED = new Map<unknown, string>();

/** A value in JSON as rows and answers have it. */
export const valueSchema = z.union([z.null(), z.boolean(), z.number(), z.string()]);

/** The answer of what has nothing to tell. */
export const doneSchema = z.strictObject({ ok: z.literal(true) });

/** Names of one model or table, as they come from a person. */
export const tableNameSchema = z.string().min(1).max(200);
