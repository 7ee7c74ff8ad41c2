import type { TableData } from '../columns/index.ts';
import { columnOfValues, tableOf } from '../columns/index.ts';
import type { Model } from '../model/index.ts';
import { ModelData } from '../query/index.ts';
import type { DataType, Value } from '../values/index.ts';
import { INTEGER, TEXT } from '../values/index.ts';
import { findLevels, hierarchyOf } from './levels.ts';

const rows = 200;
const each = <T>(of: (row: number) => T): T[] => Array.from({ length: rows }, (_, row) => of(row));
const tables: Record<string, TableData> = {
  place: tableOf('place', [
    columnOfValues(
      'id',
      INTEGER,
      each((i) => i),
    ),
    columnOfValues(
      'name',
      TEXT,
      each((i) => `Place ${i}`),
    ),
    columnOfValues(
      'town',
      TEXT,
      each((i) => `Town ${i % 40}`),
    ),
    columnOfValues(
      'town_code',
      INTEGER,
      each((i) => 900 + (i % 40)),
    ),
    columnOfValues(
      'district_id',
      INTEGER,
      each((i) => i % 8),
    ),
    // Lies in a district but for two rows.
    columnOfValues(
      'office',
      TEXT,
      each((i) => (i === 3 || i === 77 ? 'Office 1' : `Office ${i % 16}`)),
    ),
    columnOfValues(
      'mood',
      TEXT,
      each((i) => ['glad', 'calm', 'sad'][(i * 7 + Math.floor(i / 9)) % 3]!),
    ),
  ]),
  district: tableOf('district', [
    columnOfValues('id', INTEGER, [0, 1, 2, 3, 4, 5, 6, 7]),
    columnOfValues('region', TEXT, ['N', 'S', 'N', 'S', 'N', 'S', 'N', 'S']),
  ]),
};
const column = (name: string, type: string) => ({ name, type });
const model: Model = {
  crease: 1,
  name: 'm',
  tables: [
    {
      name: 'place',
      role: 'dimension',
      key: ['id'],
      label: 'name',
      columns: [...tables.place!.columns.values()].map((c) => column(c.name, c.type.kind)),
    },
    {
      name: 'district',
      role: 'dimension',
      key: ['id'],
      columns: [column('id', 'integer'), column('region', 'text')],
    },
  ],
  relationships: [
    {
      name: 'in',
      from: { table: 'place', columns: ['district_id'] },
      to: { table: 'district', columns: ['id'] },
    },
  ],
};
const data = new ModelData(model, (name) => tables[name]!, 0);

test('columns that lie in each other are stacked, over outriggers too; what has nothing to do with them stays out', () => {
  const { chains } = findLevels(data, 'place');
  const [first] = chains;
  expect(first!.levels.map((l) => [l.path, l.members])).toEqual([
    ['district.region', 2],
    ['district_id', 8],
    ['town', 40],
    ['name', 200],
  ]);
  // A code that says the same as a text tells the members of its level apart.
  expect(first!.levels[2]).toMatchObject({ path: 'town', key: 'town_code' });
  expect(first!.levels.at(-1)).toMatchObject({ path: 'name', key: 'id' });
  expect(chains.flatMap((c) => c.levels.map((l) => l.path))).not.toContain('mood');
  expect(hierarchyOf('Where', first!).levels).toEqual([
    { name: 'Region', column: 'district.region' },
    { name: 'District id', column: 'district_id' },
    { name: 'Town', column: 'town', key: 'town_code' },
    { name: 'Place', column: 'name', key: 'id' },
  ]);
});

test('a level that lies in another but for a few rows is a near miss with their number', () => {
  const { near } = findLevels(data, 'place');
  expect(near).toContainEqual({ table: 'place', lower: 'office', upper: 'district_id', rows: 2, members: 1 });
  expect(near.some((n) => n.lower === 'mood' || n.upper === 'mood')).toBe(false);
});

test('months by name and weekdays by name come in the order of their numbers', () => {
  const MONTHS = ['January', 'February', 'March', 'April', 'May', 'June'];
  const rows = MONTHS.flatMap((name, m) =>
    [1, 2].map((d) => ({ day: m * 31 + d, name, no: m + 1, half: m < 3 ? 'first' : 'second' })),
  );
  const column = (name: string, type: DataType, of: (r: (typeof rows)[0]) => Value) =>
    columnOfValues(name, type, rows.map(of));
  const table = tableOf('days', [
    column('day', INTEGER, (r) => r.day),
    column('MonthName', TEXT, (r) => r.name),
    column('MonthNo', INTEGER, (r) => r.no),
    column('half', TEXT, (r) => r.half),
  ]);
  const model: Model = {
    crease: 1,
    name: 'm',
    tables: [
      {
        name: 'days',
        role: 'dimension',
        key: ['day'],
        columns: [...table.columns.values()].map((c) => ({ name: c.name, type: c.type.kind as 'text' })),
      },
    ],
  };
  const { chains } = findLevels(new ModelData(model, () => table, 0), 'days');
  expect(hierarchyOf('H', chains[0]!).levels!.find((l) => l.column === 'MonthName')).toMatchObject({
    orderBy: 'MonthNo',
  });
});
