import type { Table } from '@crease/core/model';
import { lookupOf } from './lookupOf.ts';

const price: Table = {
  name: 'price',
  role: 'dimension',
  key: ['title_id', 'since'],
  validity: { of: ['title_id'], from: 'since', to: 'till' },
  columns: [
    { name: 'title_id', type: 'integer' },
    { name: 'since', type: 'date' },
    { name: 'till', type: 'date' },
    { name: 'amount', type: 'decimal(7,2)' },
  ],
};
const own = [
  { name: 'TITLE_ID', type: 'integer' },
  { name: 'lent', type: 'date' },
];

test('a lookup begins with the keys and days that are likely', () => {
  expect(lookupOf(price, own)).toEqual({
    table: 'price',
    on: [['TITLE_ID', 'title_id']],
    columns: ['since'],
    valid: { at: 'lent', from: 'since', to: 'till' },
  });
  expect(lookupOf({ ...price, columns: [] }, own)).toMatchObject({ on: [['', '']], columns: [] });
});

test('without a table, or where another window has removed it, it is empty', () => {
  expect(lookupOf(undefined, own)).toEqual({ table: '', on: [['', '']], columns: [] });
});
