import { codesOfValues, columnOfValues, tableOf } from '../columns/index.ts';
import type { TableData } from '../columns/index.ts';
import { judgeModel } from '../claims/index.ts';
import { applyEdit } from '../edit/index.ts';
import type { AskedCell, Model, Query, Table } from '../model/index.ts';
import { answerQuery, ModelData, traceCell } from '../query/index.ts';
import { rowsBehind } from '../rows/index.ts';
import { tableLoader } from '../sources/index.ts';
import type { Value } from '../values/index.ts';
import { DATE, parseType, textReader } from '../values/index.ts';

type Line = readonly (Value | null)[];
const BRANCHES = ['N', 'N', 'S', 'S', 'N'];
const FINES: (number | null)[] = [100, 250, null, 50, 300];
const day = (text: string) => textReader(DATE)(text) as number;
const column = (name: string, type: string, values: readonly Value[]) =>
  columnOfValues(name, parseType(type)!, [...values]);
const texts = ['value', 'author', 'at', 'comment', 'from', 'to'];

const model: Model = {
  crease: 1,
  name: 'm',
  asOf: '2026-06-30',
  tables: [
    {
      name: 'loan',
      role: 'fact',
      source: { file: 'loan.csv' },
      key: ['no', 'branch'],
      columns: [
        { name: 'no', type: 'integer' },
        { name: 'branch', type: 'text' },
        { name: 'fine', type: 'decimal(9,2)', use: 'quantity' },
        { name: 'double_fine', type: 'decimal(9,2)', formula: 'fine * 2' },
      ],
    },
    {
      name: 'dear',
      role: 'fact',
      source: { steps: [{ from: 'loan' }, { filter: 'fine > 2' }] },
      columns: [
        { name: 'no', type: 'integer' },
        { name: 'fine', type: 'decimal(9,2)', use: 'quantity' },
      ],
    },
  ],
  measures: [
    { name: 'Fines', formula: 'sum(loan.fine)' },
    { name: 'Twice', formula: 'sum(loan.double_fine)' },
    { name: 'Dear', formula: 'count(dear)' },
  ],
  corrections: [{ of: 'loan.fine', source: { file: 'fines.csv' } }],
};

function world(lines: readonly Line[], of: Model = model) {
  const stored = (table: Table): TableData =>
    table.name === 'loan'
      ? tableOf('loan', [
          column('no', 'integer', [1, 2, 1, 2, 3]),
          column('branch', 'text', BRANCHES),
          column('fine', 'decimal(9,2)', FINES),
        ])
      : tableOf(
          table.name,
          ['no', 'branch', ...texts].map((name, i) =>
            column(
              name,
              i === 0 ? 'integer' : 'text',
              lines.map((line) => line[i] ?? null),
            ),
          ),
          { rowCount: lines.length, lineOf: (row) => row + 2 },
        );
  const today = day(of.asOf!);
  return new ModelData(of, tableLoader(of, today, stored), today);
}

const fines = (data: ModelData) => data.column('loan', 'fine').valuesAt([0, 1, 2, 3, 4]);
const asked = (data: ModelData, asOf?: string) =>
  answerQuery(data, { measures: ['Fines', 'Twice', 'Dear'], ...(asOf ? { asOf } : {}) }).rows[0];

test('a correction takes the place of the value that was read, wherever it counts', () => {
  const data = world([
    [2, 'N', '9.99', 'Ida', '2026-06-01T10:00:00Z', 'typing error'],
    [1, 'S', '1', 'Ida', '2026-06-01T10:00:00Z'],
    [3, 'N', null, 'Tom', '2026-06-02T10:00:00Z', 'was waived'],
  ]);
  expect(fines(data)).toEqual([100, 999, 100, 50, null]);
  expect(asked(data)).toEqual(['12.49', '24.98', 1]);
  const plain = world([]);
  expect(fines(plain)).toEqual(FINES);
  expect(asked(plain)).toEqual(['7.00', '14.00', 2]);
});

test('the newest stands, whatever the order of its lines; of two of one moment the later line', () => {
  const lines: Line[] = [
    [1, 'N', '3', 'a', '2026-03-01T10:00:00+02:00'],
    [1, 'N', '2', 'a', '2026-03-01T09:00:00Z'],
    [1, 'N', '1', 'a', null],
  ];
  expect(fines(world(lines))[0]).toBe(200);
  expect(fines(world([...lines].reverse()))[0]).toBe(200);
  const same: Line[] = [
    [2, 'N', '3', 'a', '2026-03-01'],
    [2, 'N', '4', 'a', '2026-03-01T00:00:00Z'],
  ];
  expect(fines(world(same))[1]).toBe(400);
});

test('it holds from its first to its last day, also as of the day of a question', () => {
  const data = world([
    [1, 'N', '5', 'a', '2026-01-01', null, '2026-02-01', '2026-02-28'],
    [1, 'N', '4', 'a', '2025-12-01', null, null, '2026-03-01'],
    [1, 'N', '6', 'a', '2026-01-01', null, '2026-07-01'],
  ]);
  expect(fines(data)[0]).toBe(100);
  const first = ['2026-02-01', '2026-02-28', '2026-03-01', '2026-03-02', '2026-07-01', '2026-06-30'].map(
    (asOf) => asked(data, asOf),
  );
  expect(first.map((row) => row![0])).toEqual(['11.00', '11.00', '10.00', '7.00', '12.00', '7.00']);
  // What is derived of it follows: columns by formula, and tables by steps.
  expect(first.map((row) => row![1])).toEqual(['22.00', '22.00', '20.00', '14.00', '24.00', '14.00']);
  expect(first.map((row) => row![2])).toEqual([3, 3, 3, 2, 3, 2]);
});

test('what changes nothing is told with its line, and changes nothing', () => {
  const data = world([
    [9, 'N', '5', 'a', '2026-01-01'],
    [1, 'N', 'five', 'a', '2026-01-01'],
    [2, 'N', '5', 'a', 'yesterday', null, '31.02.2026'],
    [2, 'S', '5', 'a', '2026-01-01'],
  ]);
  expect(fines(data)).toEqual([100, 250, null, 500, 300]);
  const claim = judgeModel(model, data, '2026-06-30').find((c) => c.kind === 'corrections-fit')!;
  expect([claim.id, claim.verdict, claim.weight]).toEqual(['corrections-fit:loan.fine', 'broken', 'warns']);
  expect(claim.found).toBe('3 of 4 corrections of loan.fine change nothing');
  expect(claim.evidence).toMatchObject({ checked: 4, against: 3 });
  expect(claim.evidence.sample!.map((s) => [s.values.no, s.lines, s.values.why])).toEqual([
    [9, [2], 'loan has no row of its key'],
    [1, [3], 'the value (decimal(9,2)) “five” cannot be read'],
    [2, [4], 'its time “yesterday” cannot be read; the first day “31.02.2026” cannot be read'],
  ]);
  expect(
    judgeModel(model, world([[1, 'N', '5']]), '2026-06-30').find((c) => c.kind === 'corrections-fit')!
      .verdict,
  ).toBe('holds');
});

test.each([
  ['loan.nothing', 'the model has no column loan.nothing'],
  ['loan.double_fine', 'worked out by a formula'],
  ['dear.fine', 'dear has no key'],
  ['loan.no', 'part of the key'],
])('%s cannot be corrected, and the claim says why', (of, why) => {
  const other = { ...model, corrections: [{ of, source: { file: 'fines.csv' } }] };
  const data = world([[1, 'N', '5']], other);
  expect(fines(data)).toEqual(FINES);
  const claim = judgeModel(other, data, '2026-06-30').find((c) => c.kind === 'corrections-fit')!;
  expect([claim.verdict, claim.found]).toEqual(['broken', expect.stringContaining(why)]);
});

test('rows that stay in their database cannot be corrected', () => {
  const [loan] = model.tables as [Table];
  const through = { ...model, tables: [{ ...loan, held: false, watermark: 'no' }] };
  const data = world([[1, 'N', '5']], through);
  expect(fines(data)).toEqual(FINES);
  const claim = judgeModel(through, data, '2026-06-30').find((c) => c.kind === 'corrections-fit')!;
  expect(claim.found).toContain('passed through');
  const renamed = applyEdit(through, [{ do: 'rename', of: { table: 'loan', column: 'no' }, to: 'number' }]);
  expect(renamed.tables[0]!.watermark).toBe('number');
});

test('rows behind a number and its explanation say what was corrected, what was there, and who says so', () => {
  const data = world([
    [2, 'N', '9.99', 'Ida', '2026-06-01T10:00:00Z', 'typing error'],
    [1, 'S', '1', 'Tom', '2026-06-01T11:00:00Z'],
  ]);
  const query = { by: ['loan.branch'], measures: ['Fines'] };
  const [behind] = rowsBehind(data, {
    query,
    cells: [{ measure: 'Fines', by: ['N'] }],
    columns: ['loan.no', 'loan.fine'],
    keys: true,
  }).aggregates;
  expect(behind!.rows).toEqual([
    [1, '1.00'],
    [2, '9.99'],
    [3, '3.00'],
  ]);
  expect(behind!.corrected).toEqual([
    { row: 1, column: 1, was: '2.50', author: 'Ida', at: '2026-06-01T10:00:00Z', comment: 'typing error' },
  ]);
  expect(behind!.keys).toEqual([
    [1, 'N'],
    [2, 'N'],
    [3, 'N'],
  ]);
});

test('an explanation counts the rows with a corrected value, also where the measure does not apply', () => {
  const two: Model = {
    ...model,
    measures: [...model.measures!, { name: 'Cards', formula: 'count(card)' }],
    tables: [
      ...model.tables,
      {
        name: 'card',
        role: 'dimension',
        key: ['no'],
        source: { members: [{ no: 1 }] },
        columns: [{ name: 'no', type: 'integer' }],
      },
    ],
  };
  const data = world([[2, 'N', '9.99', 'Ida', '2026-06-01T10:00:00Z']], two);
  const explained = (query: Query, cell: AskedCell) => traceCell(data, query, cell).parts;
  const [sum] = explained({ by: ['loan.branch'], measures: ['Fines'] }, { measure: 'Fines', by: ['N'] });
  expect([sum!.value, sum!.corrected]).toEqual(['13.99', 1]);
  const [other] = explained({ by: ['loan.branch'], measures: ['Fines'] }, { measure: 'Fines', by: ['S'] });
  expect([other!.value, other!.corrected]).toEqual(['0.50', undefined]);
  const [none] = explained({ by: ['card.no'], measures: ['Fines', 'Cards'] }, { measure: 'Fines', by: [1] });
  expect([none!.doesNotApplyBy, none!.corrected]).toEqual([['card.no'], undefined]);
});

test('a list follows the names of its table and column, and an edit takes it away', () => {
  const renamed = applyEdit(model, [
    { do: 'rename', of: { table: 'loan' }, to: 'lending' },
    { do: 'rename', of: { table: 'lending', column: 'fine' }, to: 'late fee' },
  ]);
  expect(renamed.corrections).toEqual([{ of: 'lending.late fee', source: { file: 'fines.csv' } }]);
  const without = applyEdit(renamed, [{ do: 'remove-corrections', of: 'lending.late fee' }]);
  expect(without.corrections).toEqual([]);
  expect(applyEdit(without, [{ do: 'put-corrections', value: model.corrections![0]! }]).corrections).toEqual(
    model.corrections,
  );
});

test('codes of values are those of their dictionary, of any type; what it does not hold has none', () => {
  const some: [string, Value[], Value[]][] = [
    ['text', ['b', 'a', 'c', 'ä', ''], ['a', 'ä', '', 'aa', null]],
    ['integer', [5, 7, 6, null], [5, 8, 4, null]],
    ['decimal(9,2)', [100, -250, 99_999], [100, -250, 1, null]],
    ['double', [0.5, -1e9, 3], [3, 0.25, null]],
  ];
  for (const [type, values, asked] of some) {
    const made = column('c', type, values);
    const codes = codesOfValues(made, asked);
    expect(
      Array.from(codes, (code, i) => (code < 0 ? !values.includes(asked[i]!) : made.valuesOf([code])[0])),
    ).toEqual(asked.map((value) => (value === null || values.includes(value) ? value : true)));
  }
});
