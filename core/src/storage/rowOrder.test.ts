import fc from 'fast-check';
import { columnOfValues, encodeSegments } from '../columns/index.ts';
import { INTEGER } from '../values/index.ts';
import { searchRowOrder } from './rowOrder.ts';
import { cases } from '../../../tools/cases.ts';

const ROWS = 20_000;
const column = (name: string, of: (row: number) => number) =>
  columnOfValues(
    name,
    INTEGER,
    Array.from({ length: ROWS }, (_, row) => of(row)),
  );
/** A fixed shuffle of small numbers: 4001 and the number of rows have no common divisor. */
const mixed = (row: number): number => (row * 4001) % ROWS;

test('rows that came mixed are sorted by what determines most', () => {
  const branch = column('branch', (row) => mixed(row) % 8);
  const region = column('region', (row) => (mixed(row) % 8) % 2);
  const order = searchRowOrder([region, branch])!;
  expect(order.by[0]).toBe('branch');
  expect(order.afterBytes).toBeLessThan(order.beforeBytes / 10);
  const bytes = (values: number[]) =>
    encodeSegments(columnOfValues('c', INTEGER, values).codes).reduce((n, s) => n + s.bytes.length, 0);
  const sorted = Array.from({ length: ROWS }, (_, row) => mixed(row) % 8).sort((a, b) => a - b);
  expect(order.afterBytes).toBe(bytes(sorted) + bytes(sorted.map((b) => b % 2)));
});

test('an order that has like rows together is left as it is', () => {
  const day = column('day', (row) => Math.floor(row / 50));
  const receipt = column('receipt', (row) => Math.floor(row / 3));
  const quantity = column('quantity', (row) => mixed(row) % 5000);
  expect(searchRowOrder([day, receipt, quantity])).toBeUndefined();
  expect(searchRowOrder([columnOfValues('few', INTEGER, [2, 1, 2, 1])])).toBeUndefined();
  expect(searchRowOrder([])).toBeUndefined();
});

test('no order is told of that does not save', () => {
  let told = 0;
  const cells = fc.array(fc.integer({ min: 2, max: 400 }), { minLength: 1, maxLength: 4 });
  fc.assert(
    fc.property(cells, (spreads) => {
      const order = searchRowOrder(
        spreads.map((spread, c) => column(`c${c}`, (row) => mixed(row * (c + 1)) % spread)),
      );
      if (!order) return;
      told++;
      expect(order.afterBytes).toBeLessThan(order.beforeBytes);
    }),
    { numRuns: cases(8) },
  );
  expect(told).toBeGreaterThan(0);
});
