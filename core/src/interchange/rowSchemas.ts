import { parseType, TEXT } from '../values/index.ts';
import type { DataType } from '../values/index.ts';
import type { Model, ModelColumn, Table } from '../model/index.ts';
import { sameName } from '../model/index.ts';

const DRAFT = 'https://json-schema.org/draft/2020-12/schema';
const LARGEST_EXACT = Number.MAX_SAFE_INTEGER;

/** A value of a type in JSON as answers and rows have it: large whole numbers and decimals are texts. */
function valueSchema(type: DataType, length: number | undefined): { types: string[]; more: object } {
  switch (type.kind) {
    case 'integer':
      return {
        types: ['integer', 'string'],
        more: { minimum: -LARGEST_EXACT, maximum: LARGEST_EXACT, pattern: '^-?[0-9]+$' },
      };
    case 'decimal': {
      const whole = Math.max(1, type.precision - type.scale);
      const fraction = type.scale > 0 ? `(\\.[0-9]{1,${type.scale}})?` : '';
      return { types: ['string'], more: { pattern: `^-?[0-9]{1,${whole}}${fraction}$` } };
    }
    case 'double':
      return { types: ['number'], more: {} };
    case 'boolean':
      return { types: ['boolean'], more: {} };
    case 'date':
      return { types: ['string'], more: { format: 'date' } };
    case 'timestamp':
      // Without a time zone, which the format date-time demands.
      return {
        types: ['string'],
        more: { pattern: '^[0-9]{4}-[0-9]{2}-[0-9]{2}T[0-9]{2}:[0-9]{2}:[0-9]{2}(\\.[0-9]{1,6})?$' },
      };
    case 'text':
      return { types: ['string'], more: length === undefined ? {} : { maxLength: length } };
  }
}

function columnSchema(column: ModelColumn, isKey: boolean): object {
  const { types, more } = valueSchema(parseType(column.type) ?? TEXT, column.length);
  return {
    type: isKey ? (types.length > 1 ? types : types[0]) : [...types, 'null'],
    ...more,
    ...(column.title === undefined ? {} : { title: column.title }),
    ...(column.description === undefined ? {} : { description: column.description }),
  };
}

/** The JSON Schema (2020-12) of a row of a table: an object with all of its columns, and no others. */
function rowSchema(model: Pick<Model, 'name'>, table: Table): object {
  const isKey = (name: string) => (table.key ?? []).some((key) => sameName(key, name));
  return {
    $schema: DRAFT,
    $id: `urn:crease:${encodeURIComponent(model.name)}:${encodeURIComponent(table.name)}`,
    title: table.title ?? table.name,
    ...(table.description === undefined ? {} : { description: table.description }),
    type: 'object',
    properties: Object.fromEntries(table.columns.map((c) => [c.name, columnSchema(c, isKey(c.name))])),
    required: table.columns.map((c) => c.name),
    additionalProperties: false,
  };
}

/** Schemas of the rows of all tables that are not staging, by table. */
export const rowSchemas = (model: Model): ReadonlyMap<string, object> =>
  new Map(model.tables.filter((t) => t.role !== 'staging').map((t) => [t.name, rowSchema(model, t)]));
