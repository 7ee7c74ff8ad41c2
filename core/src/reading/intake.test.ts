import fc from 'fast-check';
import { columnOf, valueAt } from '../columns/index.ts';
import type { Value } from '../values/index.ts';
import { DATE, decimal, formatType, INTEGER, TEXT, textReader } from '../values/index.ts';
import type { Corrections, ReadSpec } from './index.ts';
import {
  DEFAULT_DIALECT,
  detectDialect,
  detectNulls,
  guessType,
  mendNames,
  previewFile,
  ReadError,
  readTable,
} from './index.ts';
import { cases } from '../../../tools/cases.ts';

const bytes = (text: string) => new TextEncoder().encode(text);

const GIFTS = `Lantern Valley, gifts of books
exported 2026-06-30
Gift No;Given On;Value (€);Copies;Donor;Donor
1001;03.01.2026;1.250,00;1.200;K. Moss;private
1002;17.01.2026;99,50;12;n/a;private
1003;11.03.2026;n/a;3;L. Reed;firm
1004;30.03.2026;12.400,75;unknown;A. Holt;firm
`;

/** The rows that are stored when a preview is accepted as it is. */
function accepted(text: string, corrected: Corrections = {}): { rows: Value[][]; names: string[] } {
  const { dialect, nulls, columns } = previewFile(bytes(text), true, corrected);
  const spec: ReadSpec = { table: 't', dialect, nulls, fields: columns.length, columns };
  const table = readTable(spec, bytes(text));
  const names = columns.map((c) => c.name);
  return {
    names,
    rows: Array.from({ length: table.rowCount }, (_, row) =>
      names.map((name) => valueAt(columnOf(table, name), row)),
    ),
  };
}

test('a file with a title, points between thousands and a marker for null is read as it is meant', () => {
  const preview = previewFile(bytes(GIFTS), true);
  expect(preview.dialect).toMatchObject({ delimiter: ';', header: true, skip: 2 });
  expect(preview.nulls).toEqual(['', 'n/a']);
  expect(preview.columns.map((c) => formatType(c.type))).toEqual([
    'integer',
    'date',
    'decimal(9,2)',
    'text',
    'text',
    'text',
  ]);
  expect(preview.columns[2]).toMatchObject({
    decimalComma: true,
    thousands: '.',
    nulls: 1,
    extremes: ['99,50', '12.400,75'],
  });
  expect(preview.mended).toEqual(['"Donor" occurs twice: column 6 is named "Donor_2"']);
  const { rows } = accepted(GIFTS);
  expect(rows[0]).toEqual([1001, textReader(DATE)('2026-01-03'), 125_000, '1.200', 'K. Moss', 'private']);
  expect(rows[2]![2]).toBeNull();
});

test('a type that somebody says shows at once what does not fit, in the way of writing that most rows fit', () => {
  const said = new Map([[3, { type: INTEGER }]]);
  const { columns } = previewFile(bytes(GIFTS), true, { columns: said });
  expect(columns[3]).toMatchObject({ thousands: '.', reason: 'as you say' });
  expect(columns[3]!.misfits).toEqual({
    rows: 1,
    distinct: 1,
    sample: [{ text: 'unknown', rows: 1, lines: [7] }],
  });
  expect(accepted(GIFTS, { columns: said }).rows.map((row) => row[3])).toEqual([1200, 12, 3, null]);
  const days = previewFile(bytes('d\n03.01.2026\n29.02.2026\n'), true, {
    columns: new Map([[0, { type: DATE }]]),
  });
  expect(days.columns[0]).toMatchObject({ pattern: 'dd.MM.yyyy', misfits: { rows: 1 } });
});

test('of two columns of one name each has its own values, and so have the rest of a file without names', () => {
  const spec = (columns: ReadSpec['columns'], header: boolean): ReadSpec => ({
    table: 't',
    dialect: { ...DEFAULT_DIALECT, header },
    fields: 3,
    columns,
  });
  const read = (s: ReadSpec, text: string) => {
    const table = readTable(s, bytes(text));
    return s.columns.map((c) => valueAt(columnOf(table, c.name), 0));
  };
  const one = { name: 'x', fileName: 'a', type: INTEGER };
  const two = { name: 'y', fileName: 'a', type: INTEGER };
  expect(read(spec([one, two], true), 'a,b,a\n1,2,3\n')).toEqual([1, 3]);
  expect(read(spec([{ ...two, place: 2 }], true), 'a,b,a\n1,2,3\n')).toEqual([3]);
  expect(read(spec([{ ...two, place: 2 }], false), '1,2,3\n')).toEqual([3]);
});

test.each<[string, number | undefined]>([
  ['a,b\n1,2\n3,4\n', undefined],
  ['Report\na,b\n1,2\n3,4\n5,6\n', 1],
  ['Report\n\nof today\na;b\n1;2\n3;4\n5;6\n', 3],
  ['one\ntwo\nthree\n', undefined],
])('lines above the table: %j', (text, skip) => {
  expect(detectDialect(bytes(text), true).skip).toBe(skip);
});

test('lines are counted from the top of the file, whatever stands above the table', () => {
  const text = `Report\nof today\na,b\n1,x\n2\n${'3,z\n'.repeat(12)}`;
  const { dialect, problems } = previewFile(bytes(text), true);
  expect(problems).toEqual([{ line: 5, message: '1 fields where 2 are expected' }]);
  const columns = ['a', 'b'].map((name) => ({ name, type: TEXT }));
  const table = readTable({ table: 't', dialect, columns }, bytes(text));
  expect([table.problems[0]!.line, table.lineOf!(0), table.lineOf!(1)]).toEqual([5, 4, 6]);
  expect(() => readTable({ table: 't', dialect: { ...dialect, skip: 40 }, columns }, bytes(text))).toThrow(
    ReadError,
  );
  expect(() => previewFile(bytes(text), true, { dialect: { skip: 40 } })).toThrow(/no line after the 40/);
});

test.each([
  [['1,234', '12', '999'], 'integer', ',', undefined],
  [['1,234.50', '7.25'], 'decimal(8,2)', ',', undefined],
  [['1.234,50', '7,25'], 'decimal(8,2)', '.', true],
  [['1 234,5', '12 345 678,25'], 'decimal(12,2)', ' ', true],
  [["1'234", '5'], 'integer', "'", undefined],
  [['1,5', '2,25'], 'decimal(5,2)', undefined, true],
  [['1,23', '1,234'], 'decimal(6,3)', undefined, true],
  [['12,34,567', '1'], 'text', undefined, undefined],
])('%j is taken for %s with %j between thousands', (texts, type, thousands, decimalComma) => {
  const guess = guessType(texts);
  expect([formatType(guess.type), guess.thousands, guess.decimalComma]).toEqual([
    type,
    thousands,
    decimalComma,
  ]);
});

test('a point means what it can mean beside the commas of other columns', () => {
  const german = previewFile(bytes('price;seats\n9,50;1.120\n8,25;85\n'), true).columns;
  expect(german.map((c) => [formatType(c.type), c.thousands])).toEqual([
    ['decimal(5,2)', undefined],
    ['integer', '.'],
  ]);
  const plain = previewFile(bytes('price;seats\n9.50;1.120\n8.25;85\n'), true).columns;
  expect(plain.map((c) => formatType(c.type))).toEqual(['decimal(5,2)', 'decimal(7,3)']);
  const odd = previewFile(bytes('price;ratio\n9,50;1.12\n8,25;0.5\n'), true).columns;
  expect(formatType(odd[1]!.type)).toBe('decimal(5,2)');
});

test('numbers are read back from every way of writing them', () => {
  const styles = [
    { thousands: ',' },
    { thousands: '.', decimalComma: true },
    { thousands: '\u00a0', decimalComma: true },
    { thousands: "'" },
    { decimalComma: true },
    {},
  ];
  fc.assert(
    fc.property(
      fc.integer({ min: -9_999_999_99, max: 9_999_999_99 }),
      fc.constantFrom(...styles),
      (cents, style) => {
        const [whole, fraction] = [Math.trunc(Math.abs(cents) / 100), Math.abs(cents) % 100];
        const groups =
          style.thousands === undefined
            ? String(whole)
            : String(whole).replace(/\B(?=(\d{3})+$)/g, style.thousands);
        const text = `${cents < 0 ? '-' : ''}${groups}${style.decimalComma ? ',' : '.'}${String(fraction).padStart(2, '0')}`;
        expect(textReader(decimal(12, 2), style)(text)).toBe(cents);
        const spec: ReadSpec = {
          table: 't',
          dialect: { ...DEFAULT_DIALECT, delimiter: ';' },
          columns: [{ name: 'n', type: decimal(12, 2), ...style }],
        };
        expect(valueAt(columnOf(readTable(spec, bytes(`n\n${text}\n`)), 'n'), 0)).toBe(cents);
      },
    ),
    { numRuns: cases(300) },
  );
});

test('a marker for null is one where a column would else be one of numbers or days', () => {
  expect(
    detectNulls([
      ['1', 'NULL', '2'],
      ['a', '-', 'b'],
    ]),
  ).toEqual(['', 'NULL']);
  expect(detectNulls([['2026-01-01', '-', '\\N']])).toEqual(['', '-', '\\N']);
  expect(detectNulls([['NULL']])).toEqual(['']);
});

test.each([
  [
    'as they are',
    ['Loan No', '', 'order', 'a\nb', 'Loan No'],
    ['Loan No', 'column_2', 'order', 'a b', 'Loan No_2'],
  ],
  [
    'snake_case',
    ['LoanNo', 'Müller  Straße', 'order', '2nd copy', '€'],
    ['loan_no', 'muller_straße', 'order_', 'n_2nd_copy', 'column_5'],
  ],
  ['words', ['loan_no', 'ISBN', 'dueDate'], ['Loan no', 'ISBN', 'Due date']],
] as const)('columns are named %s', (rule, names, expected) => {
  expect(mendNames(names, rule).mendedNames).toEqual(expected);
});

test('names are never blank, never double, never too long, whatever the rule', () => {
  fc.assert(
    fc.property(
      fc.array(fc.string({ maxLength: 90 })),
      fc.constantFrom('as they are' as const, 'snake_case' as const, 'words' as const),
      (names, rule) => {
        const { mendedNames } = mendNames(names, rule);
        expect(mendedNames).toHaveLength(names.length);
        expect(new Set(mendedNames.map((n) => n.toLowerCase())).size).toBe(names.length);
        for (const name of mendedNames) expect(name.length > 0 && name.length <= 63).toBe(true);
      },
    ),
  );
});
