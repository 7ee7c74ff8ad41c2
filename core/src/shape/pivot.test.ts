import fc from 'fast-check';
import type { TableData } from '../columns/index.ts';
import { columnOf, columnOfValues, tableOf, valueAt } from '../columns/index.ts';
import type { Table } from '../model/index.ts';
import type { Value } from '../values/index.ts';
import { decimal, formatType, INTEGER, TEXT } from '../values/index.ts';
import { runSteps } from './index.ts';

// The long form of measures and the wide one: each is made of the other.

const wide = tableOf('wide', [
  columnOfValues('branch', TEXT, ['N', 'S', 'N']),
  columnOfValues('loans', INTEGER, [1, 2, null]),
  columnOfValues('fines', decimal(5, 2), [50, null, 125]),
]);
const derived: Table = { name: 'made', role: 'fact', columns: [] };
function after(table: TableData, ...steps: object[]): TableData {
  const setting = { table: () => table, today: 0 };
  return runSteps(derived, [{ from: table.name }, ...steps] as Record<string, unknown>[], setting).at(-1)!;
}
const rowsOf = (table: TableData): Value[][] =>
  Array.from({ length: table.rowCount }, (_, row) =>
    [...table.columns.keys()].map((name) => valueAt(columnOf(table, name), row)),
  );
const toLong = { unpivot: { columns: ['loans', 'fines'], name: 'measure', value: 'amount' } };

test('columns become rows with their names, in the type that holds all of them; what is null is left out', () => {
  const long = after(wide, toLong);
  expect([...long.columns.values()].map((c) => `${c.name} ${formatType(c.type)}`)).toEqual([
    'branch text',
    'measure text',
    'amount decimal(21,2)',
  ]);
  expect(rowsOf(long)).toEqual([
    ['N', 'loans', 100],
    ['N', 'fines', 50],
    ['S', 'loans', 200],
    ['N', 'fines', 125],
  ]);
  const kept = after(wide, { unpivot: { ...toLong.unpivot, nulls: 'keep' } });
  expect(kept.rowCount).toBe(6);
  const named = after(wide, {
    unpivot: { ...toLong.unpivot, columns: [{ column: 'loans', as: 'Lent' }] },
  });
  expect(rowsOf(named)).toEqual([
    ['N', 50, 'Lent', 1],
    ['S', null, 'Lent', 2],
  ]);
});

test('values become columns; numbers of one cell are added, other names are left out', () => {
  const long = after(wide, toLong);
  const back = after(long, {
    pivot: {
      by: ['branch'],
      name: 'measure',
      value: 'amount',
      into: ['fines', { value: 'loans', as: 'lent' }, 'none'],
    },
  });
  expect([...back.columns.keys()]).toEqual(['branch', 'fines', 'lent', 'none']);
  expect(rowsOf(back)).toEqual([
    ['N', 175, 100, null],
    ['S', null, 200, null],
  ]);
  const whole = after(long, { pivot: { by: [], name: 'branch', value: 'amount', into: ['N', 'S'] } });
  expect(rowsOf(whole)).toEqual([[275, 200]]);
});

test.each([
  [{ unpivot: { columns: ['branch', 'loans'], name: 'n', value: 'v' } }, 'give them one type with derive'],
  [{ unpivot: { columns: ['loans'], name: 'branch', value: 'v' } }, 'there is a column branch already'],
  [{ unpivot: { columns: ['loans'], name: 'x', value: 'X' } }, 'there is a column x already'],
  [{ unpivot: { columns: ['nothing'], name: 'n', value: 'v' } }, 'the column "nothing", which is not there'],
  [
    { pivot: { by: ['branch'], name: 'loans', value: 'fines', into: [{ value: '1', as: 'Branch' }] } },
    'two columns would be named Branch',
  ],
  [{ pivot: { by: [], name: 'loans', value: 'branch', into: ['1', '1'] } }, 'two columns would be named 1'],
])('what cannot be done is said: %j', (step, message) => {
  expect(() => after(wide, step)).toThrow(message);
});

test('of texts there is one for a row', () => {
  const texts = tableOf('texts', [
    columnOfValues('no', INTEGER, [1, 1, 2, 2]),
    columnOfValues('field', TEXT, ['name', 'town', 'name', 'name']),
    columnOfValues('is', TEXT, ['Ida', 'Pier', 'Ole', 'Ole']),
  ]);
  const step = (by: string[]) => ({ pivot: { by, name: 'field', value: 'is', into: ['name', 'town'] } });
  expect(rowsOf(after(texts, step(['no'])))).toEqual([
    [1, 'Ida', 'Pier'],
    [2, 'Ole', null],
  ]);
  expect(() => after(texts, step([]))).toThrow('several values of is for one row, Ida and Ole');
});

test('wide to long and back is where it began, whatever the numbers are', () => {
  const cell = fc.option(fc.integer({ min: -1000, max: 1000 }), { nil: null });
  fc.assert(
    fc.property(fc.array(fc.tuple(cell, cell), { minLength: 1, maxLength: 20 }), (cells) => {
      // A row without any value has no row in the long form.
      const rows = cells.filter(([a, b]) => a !== null || b !== null);
      const table = tableOf('t', [
        columnOfValues(
          'no',
          INTEGER,
          rows.map((_, i) => i),
        ),
        columnOfValues(
          'a',
          INTEGER,
          rows.map(([a]) => a),
        ),
        columnOfValues(
          'b',
          INTEGER,
          rows.map(([, b]) => b),
        ),
      ]);
      const there = { unpivot: { columns: ['a', 'b'], name: 'name', value: 'value' } };
      const back = { pivot: { by: ['no'], name: 'name', value: 'value', into: ['a', 'b'] } };
      expect(rowsOf(after(table, there, back))).toEqual(rowsOf(table));
    }),
  );
});
