import { parseType, TEXT } from '../values/index.ts';
import type { Model, ModelColumn, Relationship, Table } from '../model/index.ts';
import type { WithoutConstraints } from './ddl.ts';
import { ALL_CONSTRAINTS } from './ddl.ts';
import { cardinalityOf, sameName } from '../model/index.ts';

// Descriptions of released files in two open standards, so that others read them with types, keys and
// references: Data Package with Table Schema (datapackage.org, version 1), and CSV on the Web (W3C, 2015).

/** Types of Table Schema and of CSV on the Web (XML Schema), by ours. */
const TYPES: Readonly<Record<string, readonly [field: string, csvw: string]>> = {
  integer: ['integer', 'integer'],
  decimal: ['number', 'decimal'],
  double: ['number', 'double'],
  text: ['string', 'string'],
  boolean: ['boolean', 'boolean'],
  date: ['date', 'date'],
  timestamp: ['datetime', 'dateTime'],
};

const releasedTables = (model: Model): Table[] => model.tables.filter((t) => t.role !== 'staging');
const kindOf = ({ type }: ModelColumn): string => (parseType(type) ?? TEXT).kind;
/** A list that is left out where it is empty: the standards want one entry at least. */
const listed = <T, U>(name: string, list: readonly T[], of: (one: T) => U): Record<string, readonly U[]> =>
  list.length === 0 ? {} : { [name]: list.map(of) };

const given = <K extends string, V>(key: K, value: V | undefined): Partial<Record<K, V>> =>
  value === undefined ? {} : ({ [key]: value } as Record<K, V>);

/** The digits of a decimal, for which neither standard has a place: our own property; others pass it by. */
export const OWN_TYPE = 'urn:crease:type';
const ownType = (column: ModelColumn) => (kindOf(column) === 'decimal' ? { [OWN_TYPE]: column.type } : {});

const keyOf = (table: Table, without: WithoutConstraints): string[] | undefined =>
  table.key?.length && !without.keys.has(table.name) ? table.key : undefined;

/** References that the rows keep, between tables that are released. */
function referencesOf(model: Model, table: Table, without: WithoutConstraints): Relationship[] {
  const released = releasedTables(model);
  return (model.relationships ?? []).filter(
    (r) =>
      sameName(r.from.table, table.name) &&
      ['many-to-one', 'one-to-one'].includes(cardinalityOf(r)) &&
      !without.references.has(r.name) &&
      released.some((t) => sameName(t.name, r.to.table)),
  );
}

/** A Data Package: each table as a resource with its schema. */
export function dataPackage(
  model: Model,
  fileOf: (table: Pick<Table, 'name'>) => string,
  now: Date,
  without: WithoutConstraints = ALL_CONSTRAINTS,
): object {
  return {
    profile: 'data-package',
    name: model.name.toLowerCase().replace(/[^a-z0-9._-]+/g, '-'),
    ...given('title', model.title),
    ...given('description', model.description),
    created: now.toISOString(),
    resources: releasedTables(model).map((table) => {
      const file = fileOf(table);
      const isCsv = file.endsWith('.csv');
      const key = keyOf(table, without);
      return {
        name: table.name.toLowerCase().replace(/[^a-z0-9._-]+/g, '-'),
        path: file,
        format: isCsv ? 'csv' : 'parquet',
        mediatype: isCsv ? 'text/csv' : 'application/vnd.apache.parquet',
        ...(isCsv ? { profile: 'tabular-data-resource', encoding: 'utf-8' } : {}),
        ...given('title', table.title),
        ...given('description', table.description ?? table.grain),
        schema: {
          fields: table.columns.map((c) => ({
            name: c.name,
            type: TYPES[kindOf(c)]![0],
            ...ownType(c),
            ...given('title', c.title),
            ...given('description', c.description),
          })),
          missingValues: [''],
          ...given('primaryKey', key),
          ...listed('foreignKeys', referencesOf(model, table, without), (r) => ({
            fields: r.from.columns,
            reference: {
              resource: r.to.table.toLowerCase().replace(/[^a-z0-9._-]+/g, '-'),
              fields: r.to.columns,
            },
          })),
        },
      };
    }),
  };
}

/** Metadata of CSV on the Web for all tables of a folder. */
export function tableMetadata(
  model: Model,
  fileOf: (table: Pick<Table, 'name'>) => string,
  without: WithoutConstraints = ALL_CONSTRAINTS,
): object {
  return {
    '@context': 'http://www.w3.org/ns/csvw',
    ...given('dc:title', model.title),
    ...given('dc:description', model.description),
    tables: releasedTables(model).map((table) => ({
      url: fileOf(table),
      ...given('dc:title', table.title),
      ...given('dc:description', table.description ?? table.grain),
      tableSchema: {
        columns: table.columns.map((c) => ({
          name: c.name,
          titles: c.name,
          datatype: TYPES[kindOf(c)]![1],
          ...ownType(c),
          null: [''],
          ...given('dc:title', c.title),
          ...given('dc:description', c.description),
        })),
        ...given('primaryKey', keyOf(table, without)),
        ...listed('foreignKeys', referencesOf(model, table, without), (r) => ({
          columnReference: r.from.columns,
          reference: { resource: fileOf({ name: r.to.table }), columnReference: r.to.columns },
        })),
      },
    })),
  };
}
