import * as z from 'zod';
import type { Model, ModelColumn, Relationship, Table } from '../model/index.ts';
import { checkDocument, freeName, sameName } from '../model/index.ts';
import { parseType } from '../values/index.ts';
import { OWN_TYPE } from './describe.ts';

// Models drafted from descriptions of files in two open standards: Data Package with Table Schema
// (datapackage.org, version 1), and CSV on the Web (W3C, 2015). What a model has no place for is told.

/** A design read from a description, and what of it was left out. */
export interface ReadDesign {
  readonly model: Model;
  readonly notes: readonly string[];
}

const names = z.union([z.string(), z.array(z.string())]).transform((n) => (typeof n === 'string' ? [n] : n));
const text = z.string().optional();

const packageSchema = z.looseObject({
  name: text,
  title: text,
  description: text,
  resources: z.array(
    z.looseObject({
      name: z.string(),
      path: z.union([z.string(), z.array(z.string())]).optional(),
      title: text,
      description: text,
      dialect: z.looseObject({ delimiter: z.string().length(1).optional() }).optional(),
      schema: z
        .looseObject({
          fields: z.array(
            z.looseObject({
              name: z.string(),
              type: z.string().optional(),
              title: text,
              description: text,
              format: text,
            }),
          ),
          primaryKey: names.optional(),
          foreignKeys: z
            .array(
              z.looseObject({
                fields: names,
                reference: z.looseObject({ resource: z.string(), fields: names }),
              }),
            )
            .optional(),
        })
        .optional(),
    }),
  ),
});

/** Types of Table Schema; decimals of unknown digits are doubles. */
const FIELD_TYPES: Readonly<Record<string, string>> = {
  string: 'text',
  integer: 'integer',
  number: 'double',
  boolean: 'boolean',
  date: 'date',
  datetime: 'timestamp',
  year: 'integer',
};

interface Reference {
  readonly from: string;
  readonly columns: readonly string[];
  readonly to: string;
  readonly toColumns: readonly string[];
}

/** A Data Package as a design. Throws DocumentError where it is none. */
export function modelOfDataPackage(json: unknown): ReadDesign {
  const found = checkDocument(packageSchema, json, 'the data package');
  const notes: string[] = [];
  const references: Reference[] = [];
  const tables = found.resources.flatMap(({ name, path, title, description, dialect, schema }): Table[] => {
    if (!schema) {
      notes.push(`${name} has no schema, and is left out`);
      return [];
    }
    const files = path === undefined ? [] : [path].flat();
    if (files.length > 1) notes.push(`${name} lies in ${files.length} files, of which the first is named`);
    for (const { fields, reference } of schema.foreignKeys ?? [])
      references.push({
        from: name,
        columns: fields,
        to: reference.resource === '' ? name : reference.resource,
        toColumns: reference.fields,
      });
    const columns = schema.fields.map((field) =>
      columnOf(
        field.name,
        ownTypeOf(field) ?? typeOf(field.type ?? 'string', FIELD_TYPES, `${name}.${field.name}`, notes),
        field,
      ),
    );
    const file = files[0];
    const { delimiter } = dialect ?? {};
    return [
      tableOf(name, columns, {
        title,
        description,
        key: schema.primaryKey,
        source:
          file === undefined
            ? undefined
            : { file, ...(delimiter === undefined || delimiter === ',' ? {} : { delimiter }) },
      }),
    ];
  });
  return designOf(found, tables, references, notes);
}

const metadataSchema = z.looseObject({
  'dc:title': text,
  'dc:description': text,
  tables: z
    .array(
      z.looseObject({
        url: z.string(),
        'dc:title': text,
        'dc:description': text,
        tableSchema: z.looseObject({
          columns: z.array(
            z.looseObject({
              name: z.string().optional(),
              titles: z.unknown().optional(),
              datatype: z.union([z.string(), z.looseObject({ base: text })]).optional(),
              'dc:title': text,
              'dc:description': text,
              virtual: z.boolean().optional(),
            }),
          ),
          primaryKey: names.optional(),
          foreignKeys: z
            .array(
              z.looseObject({
                columnReference: names,
                reference: z.looseObject({ resource: z.string(), columnReference: names }),
              }),
            )
            .optional(),
        }),
      }),
    )
    .min(1),
});

/** Datatypes of CSV on the Web, which are those of XML Schema and some shorter names. */
const DATATYPES: Readonly<Record<string, string>> = {
  string: 'text',
  normalizedString: 'text',
  token: 'text',
  anyURI: 'text',
  integer: 'integer',
  int: 'integer',
  long: 'integer',
  short: 'integer',
  byte: 'integer',
  nonNegativeInteger: 'integer',
  positiveInteger: 'integer',
  decimal: 'double',
  number: 'double',
  double: 'double',
  float: 'double',
  boolean: 'boolean',
  date: 'date',
  dateTime: 'timestamp',
  datetime: 'timestamp',
};

/** Metadata of CSV on the Web, of a table or a group, as a design. Throws DocumentError where it is none. */
export function modelOfTableMetadata(json: unknown): ReadDesign {
  const isOne = json !== null && typeof json === 'object' && !('tables' in json) && 'url' in json;
  const found = checkDocument(metadataSchema, isOne ? { tables: [json] } : json, 'the metadata');
  const notes: string[] = [];
  const references: Reference[] = [];
  const nameOf = (url: string): string =>
    decodeURIComponent(url.split('/').at(-1)!.split('#')[0]!).replace(/\.\w+$/, '');
  const tables = found.tables.map(({ url, tableSchema, ...said }) => {
    const name = nameOf(url);
    for (const { columnReference, reference } of tableSchema.foreignKeys ?? [])
      references.push({
        from: name,
        columns: columnReference,
        to: nameOf(reference.resource),
        toColumns: reference.columnReference,
      });
    const columns = tableSchema.columns
      .filter((c) => !c.virtual)
      .map((c, i) => {
        const own = c.name ?? (typeof c.titles === 'string' ? c.titles : `column_${i + 1}`);
        const datatype = typeof c.datatype === 'string' ? c.datatype : (c.datatype?.base ?? 'string');
        return columnOf(own, ownTypeOf(c) ?? typeOf(datatype, DATATYPES, `${name}.${own}`, notes), {
          title: c['dc:title'],
          description: c['dc:description'],
        });
      });
    return tableOf(name, columns, {
      title: said['dc:title'],
      description: said['dc:description'],
      key: tableSchema.primaryKey,
      source: { file: url },
    });
  });
  return designOf(
    { title: found['dc:title'], description: found['dc:description'] },
    tables,
    references,
    notes,
  );
}

/** The type of a column that Crease has described itself. */
function ownTypeOf(said: Readonly<Record<string, unknown>>): string | undefined {
  const type = said[OWN_TYPE];
  return typeof type === 'string' && parseType(type) ? type : undefined;
}

function typeOf(
  declared: string,
  types: Readonly<Record<string, string>>,
  where: string,
  notes: string[],
): string {
  const type = types[declared];
  if (type === undefined) notes.push(`${where} is ${declared}, which is read as text`);
  return parseType(type ?? 'text') ? (type ?? 'text') : 'text';
}

type Said = { readonly title?: string | undefined; readonly description?: string | undefined };
const given = ({ title, description }: Said) => ({
  ...(title ? { title } : {}),
  ...(description ? { description } : {}),
});

const columnOf = (name: string, type: string, said: Said): ModelColumn => ({ name, type, ...given(said) });

function tableOf(
  name: string,
  columns: readonly ModelColumn[],
  { key, source, ...said }: Said & { key?: string[] | undefined; source?: Table['source'] | undefined },
): Table {
  const known = key?.filter((k) => columns.some((c) => sameName(c.name, k)));
  return {
    name,
    ...given(said),
    role: 'dimension',
    ...(source ? { source } : {}),
    ...(known?.length ? { key: known } : {}),
    columns: columns.map((c) =>
      known?.some((k) => sameName(k, c.name)) ? { ...c, use: 'key' as const } : c,
    ),
  };
}

/** Tables with their references; one that refers to others and is referred to by none is a fact. */
function designOf(
  said: Said & { readonly name?: string | undefined },
  tables: readonly Table[],
  references: readonly Reference[],
  notes: string[],
): ReadDesign {
  const relationships: Relationship[] = [];
  for (const { from, columns, to, toColumns } of references) {
    if (!tables.some((t) => sameName(t.name, to))) {
      notes.push(`${from} refers to ${to}, which is not described`);
      continue;
    }
    relationships.push({
      name: freeName(`${from}_${to}`, relationships),
      from: { table: from, columns: [...columns] },
      to: { table: to, columns: [...toColumns] },
    });
  }
  const isFact = (name: string) =>
    relationships.some((r) => sameName(r.from.table, name)) &&
    !relationships.some((r) => sameName(r.to.table, name));
  const refers = (table: string, column: string) =>
    relationships.some(
      (r) => sameName(r.from.table, table) && r.from.columns.some((c) => sameName(c, column)),
    );
  return {
    model: {
      crease: 1,
      name: said.name ?? 'design',
      ...given(said),
      tables: tables.map((t) => ({
        ...t,
        role: isFact(t.name) ? ('fact' as const) : t.role,
        columns: t.columns.map((c) =>
          refers(t.name, c.name) && c.use === undefined ? { ...c, use: 'reference' as const } : c,
        ),
      })),
      ...(relationships.length > 0 ? { relationships } : {}),
    },
    notes,
  };
}
