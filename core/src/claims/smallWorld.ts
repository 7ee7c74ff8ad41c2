import fc from 'fast-check';
import type { TableData } from '../columns/index.ts';
import { columnOfValues, tableOf } from '../columns/index.ts';
import type { Model, Table } from '../model/index.ts';
import type { Value } from '../values/index.ts';
import { parseType } from '../values/index.ts';

// A model with claims of every kind about rows, and random rows for it, for tests: random values break some
// claims and leave others whole.

export type Row = Readonly<Record<string, Value>>;
export type Rows = readonly Row[];
const types: Record<string, Record<string, string>> = {
  area: { id: 'integer', zone: 'text' },
  place: { id: 'integer', area_id: 'integer', region: 'text', town: 'text', above: 'integer', label: 'text' },
  day: { day: 'date', month: 'integer' },
  card: { id: 'integer', no: 'text', since: 'date', till: 'date' },
  wrote: { title: 'integer', author: 'integer', share: 'decimal(3,2)' },
  visit: { no: 'integer', line: 'integer', place_id: 'integer', on_day: 'date', people: 'integer' },
};
const small = fc.option(fc.integer({ min: 1, max: 5 }), { freq: 7 });
const word = fc.option(fc.constantFrom('a', 'b', 'c', 'd'), { freq: 7 });
const days = fc.option(fc.integer({ min: 0, max: 6 }), { freq: 7 });
const rowsOf: Record<string, fc.Arbitrary<Rows>> = {
  area: fc.array(fc.record({ id: small, zone: word }), { maxLength: 5 }),
  place: fc.array(
    fc.record({ id: small, area_id: small, region: word, town: word, above: small, label: word }),
    { maxLength: 7 },
  ),
  day: fc.array(fc.record({ day: days, month: small }), { maxLength: 8 }),
  card: fc.array(fc.record({ id: small, no: word, since: days, till: days }), { maxLength: 6 }),
  wrote: fc.array(
    fc.record({ title: small, author: small, share: fc.option(fc.constantFrom(25, 50, 100), { freq: 9 }) }),
    {
      maxLength: 7,
    },
  ),
  visit: fc.array(fc.record({ no: small, line: small, place_id: small, on_day: days, people: small }), {
    maxLength: 9,
  }),
};
export const worlds = fc.record(rowsOf as { [name: string]: fc.Arbitrary<Rows> });

export const table = (name: string, role: Table['role'], rest: Partial<Table>): Table => ({
  name,
  role,
  columns: Object.entries(types[name]!).map(([column, type]) => ({ name: column, type })),
  ...rest,
});
export const relate = (
  name: string,
  from: [string, ...string[]],
  to: [string, ...string[]],
  rest: object = {},
) => ({
  name,
  from: { table: from[0], columns: from.slice(1) },
  to: { table: to[0], columns: to.slice(1) },
  ...rest,
});
export const model: Model = {
  crease: 1,
  name: 'naive',
  tables: [
    table('area', 'dimension', { key: ['id'] }),
    table('place', 'dimension', { key: ['id'], label: 'label' }),
    table('day', 'dimension', { key: ['day'] }),
    table('card', 'dimension', { key: ['id'], validity: { of: ['no'], from: 'since', to: 'till' } }),
    table('wrote', 'bridge', { key: ['title', 'author'], weight: { column: 'share', per: ['title'] } }),
    table('visit', 'fact', { key: ['no', 'line'], partition: { by: 'on_day', every: 'month' } }),
  ],
  relationships: [
    relate('visit_place', ['visit', 'place_id'], ['place', 'id']),
    relate('visit_day', ['visit', 'on_day'], ['day', 'day']),
    relate('place_area', ['place', 'area_id'], ['area', 'id'], { cardinality: 'one-to-one' }),
    relate('wrote_visit', ['wrote', 'title', 'author'], ['visit', 'no', 'line'], { default: false }),
  ],
  hierarchies: [
    {
      name: 'Geography',
      table: 'place',
      levels: [
        { name: 'Zone', column: 'area.zone' },
        { name: 'Region', column: 'region' },
        { name: 'Town', column: 'town', key: ['region', 'town'] },
        { name: 'Place', column: 'label', key: 'id' },
      ],
    },
    { name: 'Report', table: 'place', parent: 'above', label: 'label' },
  ],
  calendars: [{ table: 'day', day: 'day' }],
};

/** The rows of a world as columns, by table, as of files with a header; a table without rows is empty. */
export const tablesOf = (of: Model, world: Readonly<Record<string, Rows>>): Map<string, TableData> =>
  new Map(
    of.tables.map((t) => {
      const rows = world[t.name] ?? [];
      const columns = t.columns
        .filter((c) => c.formula === undefined)
        .map((c) =>
          columnOfValues(
            c.name,
            parseType(c.type)!,
            rows.map((r) => r[c.name] ?? null),
          ),
        );
      return [t.name, tableOf(t.name, columns, { rowCount: rows.length, lineOf: (row) => row + 2 })];
    }),
  );
