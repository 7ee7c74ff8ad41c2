import fc from 'fast-check';
import type { Value } from '../values/index.ts';
import { decimal, INTEGER, TEXT } from '../values/index.ts';
import type { TableData } from '../columns/index.ts';
import { columnOf, columnOfValues, PartsError, tableOf, valueAt } from '../columns/index.ts';
import type { MergeMode } from './index.ts';
import { mergeRows } from './index.ts';
import { cases } from '../../../tools/cases.ts';

const FINE = decimal(9, 2);
type Row = readonly [branch: string | null, day: number | null, fine: number | null, note: string | null];
const tableOfRows = (rows: readonly Row[]): TableData =>
  tableOf(
    'loan',
    [
      columnOfValues(
        'branch',
        TEXT,
        rows.map((r) => r[0]),
      ),
      columnOfValues(
        'day',
        INTEGER,
        rows.map((r) => r[1]),
      ),
      columnOfValues(
        'fine',
        FINE,
        rows.map((r) => r[2]),
      ),
      columnOfValues(
        'note',
        TEXT,
        rows.map((r) => r[3]),
      ),
    ],
    { lineOf: (row) => row + 2 },
  );
const rowsOf = (table: TableData): Value[][] =>
  Array.from({ length: table.rowCount }, (_, row) => [...table.columns.values()].map((c) => valueAt(c, row)));
const merge = (mode: MergeMode, existing: TableData, coming: TableData) =>
  mergeRows(existing, coming, { mode, key: ['branch', 'day'], quantities: ['fine'] });

const there: Row[] = [
  ['A', 1, 100, 'x'],
  ['A', 2, null, 'y'],
  ['B', 1, 50, null],
];

test('rows are updated by key, new ones follow, and what happened is counted', () => {
  const coming: Row[] = [
    ['A', 2, 30, 'y'],
    ['C', 1, 10, 'new'],
    ['A', 1, 100, 'x'],
    [null, 1, 5, 'no key'],
    ['C', 1, 99, 'again'],
  ];
  const { table, counts, refused, changes } = merge('update', tableOfRows(there), tableOfRows(coming));
  expect(rowsOf(table)).toEqual([there[0], ['A', 2, 30, 'y'], there[2], coming[1]]);
  expect(counts).toEqual({ added: 1, changed: 1, unchanged: 1, refused: 2 });
  expect(refused).toEqual([
    { line: 5, message: 'the key (branch, day) has no value', kind: 'refused' },
    { line: 6, message: 'its key occurs a second time in the load', kind: 'refused' },
  ]);
  expect(changes).toEqual([{ key: ['A', 2], column: 'fine', before: null, after: '0.30' }]);
  // Untouched rows keep their lines, the others have those of what came.
  expect([0, 1, 2, 3].map((row) => table.lineOf!(row))).toEqual([2, 2, 4, 3]);
});

test('quantities are added onto rows of the same key, a second one of a key is refused; everything else stays', () => {
  const coming: Row[] = [
    ['A', 1, 1, 'ignored'],
    ['A', 1, 2, null],
    ['C', 9, 7, 'first'],
    ['C', 9, 7, 'second'],
    ['B', 1, null, 'z'],
  ];
  const { table, counts } = merge('add quantities', tableOfRows(there), tableOfRows(coming));
  expect(rowsOf(table)).toEqual([['A', 1, 101, 'x'], there[1], there[2], ['C', 9, 7, 'first']]);
  expect(counts).toEqual({ added: 1, changed: 1, unchanged: 1, refused: 2 });
});

test('a key that stands several times in the table cannot be told', () => {
  const { table, counts, refused } = merge(
    'update',
    tableOfRows([...there, ['B', 1, 1, 'twin']]),
    tableOfRows([['B', 1, 9, 'q']]),
  );
  expect([table.rowCount, counts.refused, refused[0]!.message]).toEqual([
    4,
    1,
    expect.stringContaining('several times in the table'),
  ]);
});

test('columns that do not come stay, and are null in new rows', () => {
  const coming = tableOf('loan', [
    columnOfValues('branch', TEXT, ['A', 'Z']),
    columnOfValues('day', INTEGER, [1, 1]),
  ]);
  const { table, counts } = merge('update', tableOfRows(there), coming);
  expect(rowsOf(table)).toEqual([...there, ['Z', 1, null, null]]);
  expect(counts).toEqual({ added: 1, changed: 0, unchanged: 1, refused: 0 });
});

test('what does not fit together is refused whole', () => {
  const bad =
    (table: TableData, key = ['branch'], quantities = ['fine']) =>
    () =>
      mergeRows(tableOfRows(there), table, { mode: 'add quantities', key, quantities });
  expect(bad(tableOfRows([]), [])).toThrow(/choose the key columns/);
  expect(bad(tableOf('l', [columnOfValues('day', INTEGER, [1])]))).toThrow(
    /the new ones have no column branch/,
  );
  expect(bad(tableOf('l', [columnOfValues('branch', INTEGER, [1])]))).toThrow(
    /branch is text in the rows that are there and integer/,
  );
  expect(
    bad(tableOf('l', [columnOfValues('branch', TEXT, ['A']), columnOfValues('extra', TEXT, ['A'])])),
  ).toThrow(/have no column extra/);
  expect(bad(tableOfRows([]), ['branch'], ['note'])).toThrow(PartsError);
});

test('whatever comes: rows that came are added, changed, unchanged or refused, and the sums are those of both', () => {
  const cell = fc.record({
    branch: fc.option(fc.constantFrom('A', 'B', 'C')),
    day: fc.option(fc.integer({ min: 1, max: 3 })),
    fine: fc.option(fc.integer({ min: -500, max: 500 })),
  });
  const list = fc.array(
    cell.map((c): Row => [c.branch, c.day, c.fine, null]),
    { maxLength: 12 },
  );
  const total = (table: TableData) =>
    rowsOf(table).reduce((sum, row) => sum + ((row[2] as number | null) ?? 0), 0);
  fc.assert(
    fc.property(list, list, fc.constantFrom<MergeMode>('update', 'add quantities'), (a, b, mode) => {
      const { table, counts, refused } = merge(mode, tableOfRows(a), tableOfRows(b));
      expect(counts.added + counts.changed + counts.unchanged + counts.refused).toBe(b.length);
      expect(refused).toHaveLength(counts.refused);
      const keyed = (r: Row) => (r[0] === null || r[1] === null ? undefined : `${r[0]} ${r[1]}`);
      const keys = (rows: readonly Row[]) => new Set(rows.flatMap((r) => keyed(r) ?? []));
      expect(table.rowCount).toBe(a.length + [...keys(b)].filter((k) => !keys(a).has(k)).length);
      const taken = b.filter((_, i) => !refused.some((r) => r.line === i + 2));
      if (mode === 'add quantities') {
        expect(total(table)).toBe(total(tableOfRows(a)) + total(tableOfRows(taken)));
      } else {
        const after = new Map(rowsOf(table).map((r) => [keyed(r as unknown as Row), r[2]]));
        for (const row of taken) expect(after.get(keyed(row))).toBe(row[2]);
      }
      expect(columnOf(table, 'fine').type).toEqual(FINE);
    }),
    { numRuns: cases(300) },
  );
});
