import fc from 'fast-check';
import { parse } from 'csv-parse/sync';
import { columnOf, columnValues, valueAt } from '../columns/index.ts';
import {
  compareText,
  DATE,
  decimal,
  formatType,
  INTEGER,
  TEXT,
  textReader,
  TIMESTAMP,
} from '../values/index.ts';
import {
  DEFAULT_DIALECT,
  detectDialect,
  guessType,
  previewFile,
  ReadError,
  readTable,
  TableReader,
} from './index.ts';
import { cases } from '../../../tools/cases.ts';

const bytes = (text: string) => new TextEncoder().encode(text);
const textSpec = (names: string[], delimiter = ',') => ({
  table: 't',
  columns: names.map((name) => ({ name, type: TEXT })),
  dialect: { ...DEFAULT_DIALECT, delimiter },
  nulls: [],
});
const rowsOf = (table: ReturnType<typeof readTable>, names: string[]) =>
  Array.from({ length: table.rowCount }, (_, row) =>
    names.map((name) => valueAt(columnOf(table, name), row)),
  );

describe('the scanner agrees with a general package', () => {
  const cell = fc.string({
    unit: fc.constantFrom('a', 'b', '"', ',', '\n', '\r\n', ' ', 'é', ';', '\u{1F4DA}'),
  });
  const quoteCell = (text: string, always: boolean) =>
    always || /[",\n\r;]/.test(text) ? `"${text.replaceAll('"', '""')}"` : text;

  test('on every well-formed file, however it is cut into chunks', () => {
    fc.assert(
      fc.property(
        fc.array(fc.tuple(cell, cell, cell), { minLength: 1, maxLength: 20 }),
        fc.boolean(),
        fc.constantFrom('\n', '\r\n'),
        fc.boolean(),
        fc.array(fc.nat(400), { maxLength: 6 }),
        (rows, always, newline, ends, cuts) => {
          const file =
            ['x,y,z', ...rows.map((row) => row.map((text) => quoteCell(text, always)).join(','))].join(
              newline,
            ) + (ends ? newline : '');
          const expected = (
            parse(file, { columns: false, relax_column_count: true, skip_empty_lines: false }) as string[][]
          ).slice(1);
          const all = bytes(file);
          const reader = new TableReader(textSpec(['x', 'y', 'z']));
          let start = 0;
          for (const cut of [...cuts.sort((a, b) => a - b), all.length]) {
            reader.push(all.subarray(start, Math.min(cut, all.length)));
            start = Math.max(start, Math.min(cut, all.length));
          }
          expect(rowsOf(reader.finish(), ['x', 'y', 'z'])).toEqual(expected);
        },
      ),
      { numRuns: cases(150) },
    );
  });
});

test('values are typed exactly; what is not of the type is null and listed with its line', () => {
  const table = readTable(
    {
      table: 'loan',
      columns: [
        { name: 'n', type: INTEGER },
        { name: 'fine', type: decimal(9, 2) },
        { name: 'day', type: DATE, pattern: 'dd.MM.yyyy' },
      ],
      dialect: DEFAULT_DIALECT,
    },
    bytes(
      'n,fine,day\n9223372036854775807,0.10,31.12.2025\n-7,12345678.9,30.02.2025\nx,1.234,\n007,,01.01.2026\n',
    ),
  );
  expect(rowsOf(table, ['n', 'fine', 'day'])).toEqual([
    [9223372036854775807n, 10, 20453],
    [-7, null, null],
    [null, null, null],
    [7, null, 20454],
  ]);
  expect(table.misfits.get('fine')).toEqual({
    rows: 2,
    distinct: 2,
    sample: [
      { text: '12345678.9', rows: 1, lines: [3] },
      { text: '1.234', rows: 1, lines: [4] },
    ],
    all: [
      { text: '12345678.9', line: 3 },
      { text: '1.234', line: 4 },
    ],
  });
  expect(table.misfits.get('day')!.sample).toEqual([{ text: '30.02.2025', rows: 1, lines: [3] }]);
  expect(table.misfits.get('n')!.sample).toEqual([{ text: 'x', rows: 1, lines: [4] }]);
});

test('rows read are rows stored and rows listed', () => {
  const table = readTable(textSpec(['a', 'b']), bytes('a,b\n1,2\n1,2,3\n"x\ny",2\n"q"z,2\nlast,"open'));
  expect(rowsOf(table, ['a', 'b'])).toEqual([
    ['1', '2'],
    ['x\ny', '2'],
  ]);
  expect(table.problems.map(({ line, message }) => [line, message])).toEqual([
    [3, '3 fields where 2 are expected'],
    [6, 'text after a closing quote'],
    [7, 'a quote is not closed'],
  ]);
  expect(table.lineOf!(1)).toBe(4);
});

test('a field of 10 MB is left out and listed, the rest is kept', () => {
  const table = readTable(textSpec(['a', 'b']), bytes(`a,b\n1,${'x'.repeat(10 << 20)}\n2,ok\n`));
  expect(rowsOf(table, ['a', 'b'])).toEqual([['2', 'ok']]);
  expect(table.problems[0]!.message).toMatch(/10485760 bytes, the most is 1048576/);
});

test('a header that lacks a column says which', () => {
  expect(() => readTable(textSpec(['a', 'c']), bytes('a,b\n1,2\n'))).toThrow(
    new ReadError('the file of table t has no column "c"; its header names a, b'),
  );
  expect(() => readTable(textSpec(['a']), bytes(''))).toThrow(ReadError);
});

test.each([
  ['a;b;c\n1;2,5;x\n2;3,5;y\n', ';', 'utf-8', true],
  ['a\tb\n1\t2\n', '\t', 'utf-8', true],
  ['1|2\n3|4\n', '|', 'utf-8', false],
  ['only\nx\ny\n', ',', 'utf-8', true],
  ['RMVh6;Northwood\nRxYy8;Elmham\n', ';', 'utf-8', false],
  ['B2;name\nRxYy8;Elmham\n', ';', 'utf-8', true],
])('the dialect of %j is found', (text, delimiter, encoding, header) => {
  expect(detectDialect(bytes(text), true)).toMatchObject({ delimiter, encoding, header });
});

test('encodings are found and read', () => {
  const latin = Uint8Array.from([...'name,n\ncaf'].map((c) => c.charCodeAt(0)).concat([0xe9, 44, 49, 10]));
  expect(previewFile(latin, true).firstRows).toEqual([['café', '1']]);
  const wide = new Uint8Array(
    Uint16Array.from([0xfeff, ...[...'a,b\né,1\n'].map((c) => c.charCodeAt(0))]).buffer,
  );
  expect(previewFile(wide, true)).toMatchObject({
    dialect: { encoding: 'utf-16le' },
    firstRows: [['é', '1']],
  });
});

test.each([
  [['1', '-20'], 'integer'],
  [['1.5', '20', '3.25'], 'decimal(6,2)'],
  [['1,5', '20,25'], 'decimal(6,2)'],
  [['1e3', '2'], 'double'],
  [['2026-01-31', '2025-02-28'], 'date'],
  [['31/12/2025', '01/02/2025'], 'date'],
  [['2026-01-31 10:00', '2025-02-28 00:01'], 'timestamp'],
  [['true', 'False'], 'boolean'],
  [['20221104', '20230812', '20230813', '20240101', '29991231'], 'date'],
  [['00123', '00456'], 'text'],
  [['99999999999999999999'], 'text'],
  [['a', '1'], 'text'],
  [[], 'text'],
])('%j is taken for %s', (texts, type) => {
  expect(formatType(guessType(texts).type)).toBe(type);
});

test('bytes that are not UTF-8 are listed, also far behind the head; U+FFFD itself is a character', () => {
  const table = readTable(
    textSpec(['a']),
    Uint8Array.from([...bytes('a\n\ufffd\n'), 0x63, 0xe9, 10, ...bytes('ok\n')]),
  );
  expect(rowsOf(table, ['a'])).toEqual([['\ufffd'], [null], ['ok']]);
  expect(table.misfits.get('a')).toMatchObject({ rows: 1, sample: [{ rows: 1, lines: [3] }] });
});

test('names are mended visibly, and an empty or too wide file is refused', () => {
  const preview = previewFile(bytes('id,,ID\n1,2,3\n'), true);
  expect(preview.columns.map((c) => c.name)).toEqual(['id', 'column_2', 'ID_2']);
  expect(preview.mended).toHaveLength(2);
  expect(() => previewFile(bytes(''), true)).toThrow(/empty/);
  expect(() => previewFile(bytes(Array.from({ length: 6000 }, (_, i) => `c${i}`).join(',')), true)).toThrow(
    /6000 columns/,
  );
});

test('texts are values in the order of code points, whatever their first appearance', () => {
  const text = fc.oneof(
    fc.string({ minLength: 1 }),
    fc.string({ unit: fc.constantFrom('a', 'b', 'é', '\uFF5E', '\u{1F600}'), minLength: 1 }),
    fc.string({ unit: fc.constantFrom('same beginning ', '\0', '7'), minLength: 1, maxLength: 12 }),
    fc.integer({ min: 0, max: 400 }).map((n) => `R-2025-11-23-${n}`),
  );
  fc.assert(
    fc.property(fc.array(text, { minLength: 1, maxLength: 400 }), fc.boolean(), (texts, sorted) => {
      const list = texts.filter((t) => t.isWellFormed() && !/[\r\n]/.test(t));
      if (sorted) list.sort(compareText);
      const table = readTable(
        textSpec(['a']),
        bytes(`a\n${list.map((t) => `"${t.replaceAll('"', '""')}"\n`).join('')}`),
      );
      const column = columnOf(table, 'a');
      expect(columnValues(column).slice(1)).toEqual([...new Set(list)].sort(compareText));
      expect(list.map((_, row) => valueAt(column, row))).toEqual(list);
    }),
    { numRuns: cases(100) },
  );
});

test('moments with fractions are read from bytes as from text, also with fewer digits than the pattern', () => {
  const written = fc.tuple(
    fc.constantFrom(
      '2026-01-02 03:04:05',
      '1969-12-31 23:59:59',
      '2026-02-30 00:00:00',
      '2026-01-02 24:00:00',
    ),
    fc.constantFrom('', '.'),
    fc.stringMatching(/^\d{0,7}$/),
  );
  fc.assert(
    fc.property(
      fc.array(
        written.map((parts) => parts.join('')),
        { minLength: 1, maxLength: 30 },
      ),
      fc.constantFrom('yyyy-MM-dd HH:mm:ss.SSSSSS', 'yyyy-MM-dd HH:mm:ss.SSS', 'yyyy-MM-dd HH:mm:ss.S'),
      (texts, pattern) => {
        const file = bytes(`n,at\n${texts.map((text, i) => `${i},${text}\n`).join('')}`);
        const columns = [{ name: 'at', type: TIMESTAMP, pattern }];
        const table = readTable({ table: 't', dialect: DEFAULT_DIALECT, columns }, file);
        const read = textReader(TIMESTAMP, { pattern });
        const column = table.columns.get('at')!;
        expect(texts.map((_, row) => valueAt(column, row))).toEqual(texts.map((text) => read(text) ?? null));
      },
    ),
    { numRuns: cases(100) },
  );
});
