import type { TableData } from '../../columns/index.ts';
import { columnOfValues, tableOf } from '../../columns/index.ts';
import { applyEdit } from '../../edit/index.ts';
import { partedRows } from '../../load/index.ts';
import type { Model } from '../../model/index.ts';
import { ModelData } from '../../query/index.ts';
import { selectRows } from '../../shape/index.ts';
import { DATE, INTEGER, TEXT } from '../../values/index.ts';
import { compacted } from '../../columns/index.ts';
import { totalBytes } from '../weight.ts';
import { adviceOn, editOfFold, measureFolds } from './index.ts';

// Rows of a fact in parts: advised where a load would then leave most of them as they are, with measured
// bytes.

const ROWS = 60_000;
const FIRST_DAY = 19_723; // 2024-01-01
const hash = (i: number, n: number) => (Math.imul(i + 1, 0x9e3779b1) >>> 0) % n;
const numbers = Array.from({ length: ROWS }, (_, i) => i);
/** Receipts come with the days; branches at random. */
const day = (i: number) => (i % 500 === 0 ? null : FIRST_DAY + Math.floor((i * 180) / ROWS));
const rows: Record<string, TableData> = {
  loan: tableOf('loan', [
    columnOfValues(
      'receipt',
      TEXT,
      numbers.map((i) => `R${String(i).padStart(7, '0')}`),
    ),
    columnOfValues(
      'branch',
      INTEGER,
      numbers.map((i) => hash(i, 40)),
    ),
    columnOfValues(
      'due',
      DATE,
      numbers.map((i) => (day(i) ?? FIRST_DAY) + 21),
    ),
    columnOfValues('lent', DATE, numbers.map(day)),
  ]),
  calendar: tableOf('calendar', [
    columnOfValues(
      'day',
      DATE,
      Array.from({ length: 400 }, (_, i) => FIRST_DAY + i),
    ),
  ]),
};
const column = (name: string, type: string) => ({ name, type });
const model = {
  crease: 1,
  name: 'm',
  tables: [
    {
      ...{ name: 'loan', role: 'fact' },
      columns: [
        column('receipt', 'text'),
        column('branch', 'integer'),
        column('due', 'date'),
        column('lent', 'date'),
      ],
    },
    { name: 'calendar', role: 'dimension', key: ['day'], columns: [column('day', 'date')] },
  ],
  calendars: [{ table: 'calendar', day: 'day' }],
  relationships: [
    {
      name: 'lent_on',
      from: { table: 'loan', columns: ['lent'] },
      to: { table: 'calendar', columns: ['day'] },
    },
  ],
} as unknown as Model;
const dataOf = (of: Model, of_rows = rows) => new ModelData(of, (name) => of_rows[name.toLowerCase()]!, 0);
const parting = (data: ModelData) => adviceOn(data).filter((a) => a.fold.do === 'part');

test('by the day that refers to a calendar, in the shortest periods with enough rows, its bytes those of the parts', () => {
  const data = dataOf(model);
  const [one, ...more] = parting(data);
  expect(more).toEqual([]);
  expect(one).toMatchObject({
    column: 'loan.lent',
    fold: { do: 'part', table: 'loan', column: 'lent', every: 'quarter' },
  });
  expect(one!.reason).toContain('3 parts of some 20,000 rows');
  const columns = [...rows.loan!.columns.values()];
  expect(one!.beforeBytes).toBe(columns.reduce((sum, c) => sum + totalBytes(c), 0));
  const parts = partedRows(rows.loan!.columns.get('lent')!, 'quarter').map((p) =>
    selectRows(rows.loan!, p.rows),
  );
  const ofParts = parts
    .flatMap((p) => [...p.columns.values()])
    .reduce((sum, c) => sum + totalBytes(compacted(c)), 0);
  expect(one!.afterBytes).toBe(ofParts);
});

test('applied it is the rule of the table; measured with others it weighs what was said', () => {
  const data = dataOf(model);
  const [one] = parting(data);
  const changed = applyEdit(model, editOfFold(model, one!.fold)!);
  expect(changed.tables[0]!.partition).toEqual({ by: 'lent', every: 'quarter' });
  const measured = measureFolds(data, [one!.fold]);
  expect(measured.beforeBytes - measured.afterBytes).toBe(one!.beforeBytes - one!.afterBytes);
  const both = measureFolds(data, [{ do: 'leave-out', table: 'loan', column: 'receipt' }, one!.fold]);
  expect(both.afterBytes).toBeLessThan(measured.afterBytes);
  // It is not said of rows that lie so already, nor of a column that is gone.
  expect(parting(dataOf(changed))).toEqual([]);
  const without = {
    ...model,
    tables: [{ ...model.tables[0]!, columns: [column('branch', 'integer')] }, model.tables[1]!],
  };
  expect(editOfFold(without, one!.fold)).toBeUndefined();
});

test('parts of other periods have to save bytes; small tables and days of one period are left alone', () => {
  const yearly = {
    ...model,
    tables: [{ ...model.tables[0]!, partition: { by: 'lent', every: 'month' } }, model.tables[1]!],
  } as Model;
  for (const a of parting(dataOf(yearly))) expect(a.afterBytes).toBeLessThan(a.beforeBytes);
  const few = { ...rows, loan: selectRows(rows.loan!, numbers.slice(0, 9000)) };
  expect(parting(dataOf(model, few))).toEqual([]);
  const oneDay = {
    ...rows,
    loan: tableOf(
      'loan',
      [...rows.loan!.columns.values()].map((c) =>
        c.name === 'lent'
          ? columnOfValues(
              'lent',
              DATE,
              numbers.map(() => FIRST_DAY),
            )
          : c,
      ),
    ),
  };
  expect(parting(dataOf(model, oneDay))).toEqual([]);
});
