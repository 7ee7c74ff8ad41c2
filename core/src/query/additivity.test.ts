import { columnOfValues, tableOf } from '../columns/index.ts';
import type { Model } from '../model/index.ts';
import type { Value } from '../values/index.ts';
import { parseType } from '../values/index.ts';
import { additivityOf, ModelData } from './index.ts';

/** Stock by day and shop, sales by shop; tags of sales over a bridge. */
const types: Record<string, Record<string, string>> = {
  stock: { day: 'integer', shop: 'integer', pieces: 'integer' },
  sale: { id: 'integer', day: 'integer', shop: 'integer', pieces: 'integer', customer: 'text' },
  tagging: { sale: 'integer', tag: 'text' },
  tag: { tag: 'text' },
  days: { day: 'integer' },
  shop: { shop: 'integer' },
};
const rows: Record<string, Record<string, Value[]>> = {
  stock: { day: [1, 1, 2, 2, 3], shop: [1, 2, 1, 2, 1], pieces: [5, 7, 6, 8, 4] },
  sale: {
    id: [1, 2, 3, 4],
    day: [1, 1, 2, 3],
    shop: [1, 2, 1, 2],
    pieces: [1, 2, 3, 4],
    customer: ['a', 'a', 'b', 'a'],
  },
  tagging: { sale: [1, 1, 2], tag: ['x', 'y', 'x'] },
  tag: { tag: ['x', 'y'] },
  days: { day: [1, 2, 3] },
  shop: { shop: [1, 2] },
};
const roles: Record<string, Model['tables'][number]['role']> = {
  stock: 'fact',
  sale: 'fact',
  tagging: 'bridge',
};
const to = (from: string, column: string, table: string, key = column) => ({
  name: `${from}_${table}`,
  from: { table: from, columns: [column] },
  to: { table, columns: [key] },
});
const dataOf = (formula: string): ModelData =>
  new ModelData(
    {
      crease: 1,
      name: 'm',
      tables: Object.entries(types).map(([name, columns]) => ({
        name,
        role: roles[name] ?? 'dimension',
        ...(name === 'sale' ? { key: ['id'] } : roles[name] ? {} : { key: [Object.keys(columns)[0]!] }),
        columns: Object.entries(columns).map(([column, type]) => ({ name: column, type })),
      })),
      relationships: [
        to('stock', 'day', 'days'),
        to('stock', 'shop', 'shop'),
        to('sale', 'day', 'days'),
        to('sale', 'shop', 'shop'),
        to('tagging', 'sale', 'sale', 'id'),
        to('tagging', 'tag', 'tag'),
      ],
      measures: [
        { name: 'Pieces', formula: 'sum(sale.pieces)' },
        { name: 'M', formula },
      ],
    },
    (name) =>
      tableOf(
        name,
        Object.entries(rows[name]!).map(([column, values]) =>
          columnOfValues(column, parseType(types[name]![column]!)!, values),
        ),
      ),
    20_000,
  );

/** What is read and tried, by dimension. */
const found = (formula: string) =>
  Object.fromEntries(
    additivityOf(dataOf(formula), 'M').map(({ table, read, tried }) => [table, [read.adds, tried!.adds]]),
  );

test.each<[string, Record<string, [string, boolean]>]>([
  ['sum(sale.pieces)', { days: ['yes', true], shop: ['yes', true], tag: ['perhaps', false] }],
  ['"Pieces" * 2 - count(sale)', { days: ['yes', true], shop: ['yes', true], tag: ['perhaps', false] }],
  ['count(distinct sale.customer)', { days: ['no', false], shop: ['no', false], tag: ['no', false] }],
  ['avg(sale.pieces)', { days: ['no', false], shop: ['no', false], tag: ['no', false] }],
  ['"Pieces" / count(sale)', { days: ['no', false], shop: ['no', false], tag: ['no', false] }],
  ['"Pieces" ignoring shop', { days: ['yes', true], shop: ['no', false], tag: ['perhaps', false] }],
  ['"Pieces" given shop', { days: ['no', false], shop: ['yes', true], tag: ['no', false] }],
  ['"Pieces" where sale.pieces > 1', { days: ['yes', true], shop: ['yes', true], tag: ['perhaps', true] }],
  // Shop 2 has no stock on the last day: the last day of all is not that of each.
  ['sum(stock.pieces) at last stock.day', { days: ['no', false], shop: ['perhaps', false] }],
  ['sum(stock.pieces) at last stock.day per stock.shop', { days: ['no', false], shop: ['yes', true] }],
  [
    'with p as (sum(sale.pieces)) select p + p',
    { days: ['yes', true], shop: ['yes', true], tag: ['perhaps', false] },
  ],
])('%s', (formula, expected) => {
  expect(found(formula)).toEqual(expected);
});

test('the sum and the total are told, and what speaks against it', () => {
  const all = additivityOf(dataOf('count(distinct sale.customer)'), 'M');
  expect(all.find((a) => a.table === 'days')).toEqual({
    table: 'days',
    attribute: 'days.day',
    read: { adds: 'no', why: 'a distinct count' },
    tried: { adds: false, members: 3, sum: 3, total: 2 },
  });
});
