import type * as z from 'zod';
import { nearestName } from '../values/index.ts';
import type { AskedCell, Model, Query } from './schema.ts';
import { cellSchema, FORMAT_VERSION, modelSchema, querySchema } from './schema.ts';

/** A document that cannot be read: what is wrong, where, and what to do; one line per fault. */
export class DocumentError extends Error {
  constructor(readonly faults: readonly string[]) {
    super(faults.join('\n'));
  }
}

/**
 * Reads a model file. Throws DocumentError for broken JSON, a newer version, or fields that are unknown or
 * wrong.
 */
export function readModel(text: string): Model {
  const json = parseJson(text, 'the model file');
  if (json === null || typeof json !== 'object' || Array.isArray(json))
    throw new DocumentError(['the model file must hold one JSON object']);
  const version = (json as { crease?: unknown }).crease;
  if (typeof version === 'number' && version > FORMAT_VERSION) {
    throw new DocumentError([
      `the model file has format version ${version}, this program reads up to ${FORMAT_VERSION}: use a newer crease`,
    ]);
  }
  return checkDocument(modelSchema, json, 'model') as Model;
}

export const readQuery = (text: string): Query =>
  checkDocument(querySchema, parseJson(text, 'the query'), 'query') as Query;

/** A cell of an answer: a measure, and the members of its row. Throws DocumentError. */
/** One cell, or a list of several. */
export const readCells = (text: string): AskedCell[] => {
  const json = parseJson(text, 'the cell');
  return Array.isArray(json)
    ? json.map((one, i) => checkDocument(cellSchema, one, `cell ${i + 1}`))
    : [checkDocument(cellSchema, json, 'cell')];
};

export const readCell = (text: string): AskedCell =>
  checkDocument(cellSchema, parseJson(text, 'the cell'), 'cell');

function parseJson(text: string, what: string): unknown {
  try {
    return JSON.parse(text.replace(/^\ufeff/, ''));
  } catch (error) {
    const { line, column } = placeOf(text, error as Error);
    throw new DocumentError([
      `${what} is not JSON${line ? `, line ${line}, column ${column}` : ''}: it cannot be read from there on`,
    ]);
  }
}

function placeOf(text: string, error: Error): { line?: number; column?: number } {
  const position = /position (\d+)/.exec(error.message)?.[1];
  if (position === undefined) return {};
  const before = text.slice(0, Number(position)).split('\n');
  return { line: before.length, column: before.at(-1)!.length + 1 };
}

/**
 * Checks parsed JSON against a schema; throws DocumentError with a place and, for an unknown field, the
 * nearest known one.
 */
export function checkDocument<T>(schema: z.ZodType<T>, json: unknown, root: string): T {
  const result = schema.safeParse(json);
  if (result.success) return result.data;
  throw new DocumentError(
    [...new Set(result.error.issues.flatMap((issue) => faultsOf(issue, json, schema, root)))].slice(0, 20),
  );
}

function faultsOf(issue: z.core.$ZodIssue, json: unknown, schema: z.ZodType, root: string): string[] {
  const place = placeName(root, issue.path, json);
  if (issue.code === 'unrecognized_keys') {
    const known = knownKeys(schema, issue.path);
    return issue.keys.map((key) => {
      const near = nearestName(key, known);
      return `${place}: unknown field "${key}"${near ? `, did you mean "${near}"?` : ''}`;
    });
  }
  if (issue.code === 'invalid_union') {
    // Of the alternatives, speak of the one that came nearest: the fewest faults, unknown fields first.
    const nearest = [...issue.errors].sort(
      (a, b) => a.length - b.length || b[0]!.path.length - a[0]!.path.length,
    )[0];
    if (!nearest) return [`${place}: ${issue.message}`];
    return nearest.map((inner) => {
      const at = placeName(root, [...issue.path, ...inner.path], json);
      return inner.code === 'unrecognized_keys'
        ? `${at}: unknown field ${inner.keys.map((k) => `"${k}"`).join(', ')}`
        : `${at}: ${inner.message}`;
    });
  }
  return [`${place}: ${issue.message}`];
}

/**
 * Names objects on the way instead of their index where they have a name: `tables.loan.columns.fine.type`.
 */
function placeName(root: string, path: readonly PropertyKey[], json: unknown): string {
  let at: unknown = json;
  const parts = path.map((key) => {
    at = at === null || typeof at !== 'object' ? undefined : (at as Record<PropertyKey, unknown>)[key];
    const named = at !== null && typeof at === 'object' ? (at as { name?: unknown }).name : undefined;
    return typeof key === 'number' && typeof named === 'string' ? named : String(key);
  });
  return [root, ...parts].join('.');
}

/** Field names that the schema knows at a path. */
function knownKeys(schema: z.ZodType, path: readonly PropertyKey[]): string[] {
  let at: unknown = schema;
  for (const key of path) {
    const definition = unwrapped(at);
    at =
      definition?.type === 'array'
        ? definition.element
        : definition?.type === 'object'
          ? (definition.shape as Record<PropertyKey, unknown>)[key]
          : undefined;
  }
  const definition = unwrapped(at);
  return definition?.type === 'object' ? Object.keys(definition.shape as object) : [];
}

function unwrapped(schema: unknown): { type: string; [field: string]: unknown } | undefined {
  let definition = (schema as { _zod?: { def: { type: string; [field: string]: unknown } } } | undefined)
    ?._zod?.def;
  while (definition && (definition.type === 'optional' || definition.type === 'nullable')) {
    definition = (definition.innerType as { _zod: { def: { type: string } } })._zod.def;
  }
  return definition;
}

/** Collections written with one object per line. */
const WIDE = 180;

/**
 * Writes a model file: fields in the order of the schema, one object per line where it fits, so that
 * revisions diff line by line. Reading what it wrote and writing it again changes nothing.
 */
export function writeModel(model: Model): string {
  return `${layOut(checkDocument(modelSchema, model, 'model'), '')}\n`;
}

function layOut(value: unknown, indent: string): string {
  const flat = flatJson(value);
  if (value === null || typeof value !== 'object') return flat;
  if (indent !== '' && flat.length + indent.length <= WIDE && !holdsObjects(value)) return flat;
  const inner = `${indent}  `;
  if (Array.isArray(value)) {
    if (value.length === 0) return '[]';
    return `[\n${value.map((item) => inner + layOut(item, inner)).join(',\n')}\n${indent}]`;
  }
  const entries = Object.entries(value).filter(([, v]) => v !== undefined);
  return `{\n${entries.map(([key, v]) => `${inner}${JSON.stringify(key)}: ${layOut(v, inner)}`).join(',\n')}\n${indent}}`;
}

/** Whether a list of objects stands somewhere inside: those get a line each. */
const holdsObjects = (value: unknown): boolean =>
  Array.isArray(value)
    ? value.some((item) => item !== null && typeof item === 'object' && !Array.isArray(item))
    : value !== null && typeof value === 'object' && Object.values(value).some(holdsObjects);

function flatJson(value: unknown): string {
  if (Array.isArray(value)) return value.length === 0 ? '[]' : `[${value.map(flatJson).join(', ')}]`;
  if (value !== null && typeof value === 'object') {
    const entries = Object.entries(value).filter(([, v]) => v !== undefined);
    return entries.length === 0
      ? '{}'
      : `{ ${entries.map(([key, v]) => `${JSON.stringify(key)}: ${flatJson(v)}`).join(', ')} }`;
  }
  return JSON.stringify(value);
}
