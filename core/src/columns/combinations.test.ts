import fc from 'fast-check';
import { INTEGER } from '../values/index.ts';
import { columnOfValues, combinations, isDetermined, repeatedRows } from './index.ts';

const cell = (most: number) => fc.option(fc.integer({ min: 0, max: most }), { freq: 8 });
const tables = fc
  .record({
    rows: fc.integer({ min: 0, max: 60 }),
    widths: fc.array(fc.constantFrom(1, 3, 40, 5000), { minLength: 1, maxLength: 3 }),
  })
  .chain(({ rows, widths }) =>
    fc.tuple(...widths.map((w) => fc.array(cell(w), { minLength: rows, maxLength: rows }))),
  );

test('combinations are numbered by first appearance, and rows with equal whole keys are found', () => {
  fc.assert(
    fc.property(tables, (columns) => {
      const made = columns.map((values, i) => columnOfValues(`c${i}`, INTEGER, values));
      const rowCount = columns[0]!.length;
      const keys = Array.from({ length: rowCount }, (_, row) =>
        JSON.stringify(columns.map((values) => values[row])),
      );
      const order = [...new Set(keys)];
      expect([...combinations(made, rowCount).numbers]).toEqual(keys.map((key) => order.indexOf(key)));
      expect(combinations(made, rowCount).size).toBe(order.length);
      const repeated = keys.flatMap((key, row) =>
        columns.every((values) => values[row] !== null) && keys.filter((other) => other === key).length > 1
          ? [row]
          : [],
      );
      expect([...repeatedRows(made, rowCount)]).toEqual(repeated);
    }),
    { numRuns: 300 },
  );
});

test('many rows with far more combinations than places are compared all the same', () => {
  const rowCount = 20_000;
  // Two columns of nearly unique values: each pair once, but for one pair that stands twice.
  const values = Array.from({ length: rowCount }, (_, row) => (row === 19_000 ? 7 : row));
  const columns = [0, 1].map((k) =>
    columnOfValues(
      `c${k}`,
      INTEGER,
      values.map((value) => (k === 0 ? value : value * 7919)),
    ),
  );
  expect([...repeatedRows(columns, rowCount)]).toEqual([7, 19_000]);
  expect(combinations(columns, rowCount).size).toBe(rowCount - 1);
});

test('a column is determined by another where each of its values goes with one', () => {
  const few = cell(3);
  fc.assert(
    fc.property(fc.array(fc.tuple(few, few), { maxLength: 12 }), (rows) => {
      const [given, column] = [0, 1].map((k) =>
        columnOfValues(
          'c',
          INTEGER,
          rows.map((row) => row[k]!),
        ),
      );
      const pairs = combinations([given!, column!], rows.length).size;
      const values = new Set(rows.map(([value]) => value)).size;
      expect(isDetermined(column!, given!)).toBe(pairs === values);
    }),
  );
});
