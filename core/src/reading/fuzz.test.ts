import fc from 'fast-check';
import { columnOf, valueAt } from '../columns/index.ts';
import { csvLine } from '../interchange/index.ts';
import type { DataType, Value } from '../values/index.ts';
import {
  BOOLEAN,
  DATE,
  decimal,
  DOUBLE,
  INTEGER,
  TEXT,
  textReader,
  TIMESTAMP,
  toText,
} from '../values/index.ts';
import type { ColumnToRead } from './index.ts';
import { DEFAULT_DIALECT, detectDialect, previewFile, ReadError, readTable, TableReader } from './index.ts';
import { cases } from '../../../tools/cases.ts';

const bytes = (text: string) => new TextEncoder().encode(text);

test('random bytes never break the reader: what is no table is refused or listed', () => {
  fc.assert(
    fc.property(fc.uint8Array({ maxLength: 400 }), fc.constantFrom(',', ';', '\t'), (data, delimiter) => {
      const all = Uint8Array.from([...bytes(`a${delimiter}b\n`), ...data]);
      const table = readTable(
        {
          table: 't',
          columns: [
            { name: 'a', type: TEXT },
            { name: 'b', type: INTEGER },
          ],
          dialect: { ...DEFAULT_DIALECT, delimiter },
        },
        all,
      );
      expect(table.columns.get('a')!.rowCount).toBe(table.rowCount);
      detectDialect(data, true);
      try {
        previewFile(data, true);
      } catch (error) {
        expect(error).toBeInstanceOf(ReadError);
      }
    }),
    { numRuns: cases(150) },
  );
});

const kinds: [DataType, fc.Arbitrary<Value>][] = [
  [
    INTEGER,
    fc.oneof(
      fc.integer(),
      fc
        .bigInt({ min: -(2n ** 63n), max: 2n ** 63n - 1n })
        .map((v) => (Number.isSafeInteger(Number(v)) ? Number(v) : v)),
    ),
  ],
  [decimal(12, 3), fc.integer({ min: -999_999_999, max: 999_999_999 })],
  [DOUBLE, fc.double({ noNaN: true, noDefaultInfinity: true }).map((d) => d + 0)],
  [TEXT, fc.string({ minLength: 1 }).filter((s) => s.isWellFormed() && !s.includes('\r'))],
  [BOOLEAN, fc.boolean()],
  [DATE, fc.integer({ min: -100_000, max: 100_000 })],
  [TIMESTAMP, fc.integer({ min: -4_000_000_000, max: 4_000_000_000 }).map((s) => s * 1_000_000)],
];

test.each(kinds.map(([type, values]) => [type.kind, type, values] as const))(
  'what is written as %s is read back, whatever the chunks',
  (_kind, type, values) => {
    fc.assert(
      fc.property(
        fc.array(fc.option(values), { minLength: 1, maxLength: 40 }),
        fc.integer({ min: 1, max: 64 }),
        (list, chunk) => {
          const file = bytes(
            [
              'n,v\n',
              ...list.map((value, i) => csvLine([i, value === null ? null : toText(value, type)])),
            ].join(''),
          );
          const reader = new TableReader({
            table: 't',
            columns: [{ name: 'v', type }],
            dialect: DEFAULT_DIALECT,
          });
          for (let at = 0; at < file.length; at += chunk) reader.push(file.subarray(at, at + chunk));
          const table = reader.finish();
          expect(table.misfits.size).toBe(0);
          expect(list.map((_, row) => valueAt(columnOf(table, 'v'), row))).toEqual(list);
        },
      ),
      { numRuns: cases(40) },
    );
  },
);

test('numbers read from bytes are those that are read from text', () => {
  const text = fc.oneof(
    fc.integer().map(String),
    fc.stringMatching(/^[+-]?\d{1,20}(\.\d{0,5})?$/),
    fc.stringMatching(/^[-+.,\d]{1,8}$/),
    fc.constantFrom('', '-', '.', '0', '-0', '00012', '1e5', ' 1', '1 '),
  );
  const columns: ColumnToRead[] = [
    { name: 'i', type: INTEGER },
    { name: 'd', type: decimal(9, 2) },
    { name: 'c', type: decimal(9, 2), decimalComma: true },
  ];
  fc.assert(
    fc.property(fc.array(text, { minLength: 1, maxLength: 30 }), (texts) => {
      const file = bytes(['i;d;c\n', ...texts.map((t) => csvLine([t, t, t], ';'))].join(''));
      const table = readTable({ table: 't', columns, dialect: { ...DEFAULT_DIALECT, delimiter: ';' } }, file);
      for (const column of columns) {
        const read = textReader(column.type, column);
        const expected = texts.map((t) => (t === '' ? null : (read(t) ?? null)));
        expect(texts.map((_, row) => valueAt(columnOf(table, column.name), row))).toEqual(expected);
        const misfits = texts.filter((t) => t !== '' && read(t) === undefined).length;
        expect(table.misfits.get(column.name)?.rows ?? 0).toBe(misfits);
      }
    }),
    { numRuns: cases(100) },
  );
});

test('null markers are texts, also where they look like numbers', () => {
  const table = readTable(
    {
      table: 't',
      columns: [
        { name: 'i', type: INTEGER },
        { name: 't', type: TEXT },
      ],
      dialect: DEFAULT_DIALECT,
      nulls: ['-1', 'n/a'],
    },
    bytes('i,t\n-1,n/a\n1,-1\n,x\n'),
  );
  const cells = (name: string) => [0, 1, 2].map((row) => valueAt(columnOf(table, name), row));
  expect([cells('i'), cells('t')]).toEqual([
    [null, 1, null],
    [null, null, 'x'],
  ]);
  expect(table.misfits.get('i')).toMatchObject({ rows: 1, sample: [{ text: '', lines: [4] }] });
});

test('a preview counts what the rows hold', () => {
  const row = fc.record({
    a: fc.option(fc.integer({ min: 0, max: 20 })),
    b: fc.option(fc.constantFrom('x', 'y', 'z')),
  });
  fc.assert(
    fc.property(fc.array(row, { minLength: 1, maxLength: 50 }), (rows) => {
      const preview = previewFile(bytes(['a,b\n', ...rows.map((r) => csvLine([r.a, r.b]))].join('')), true, {
        dialect: { header: true, delimiter: ',' },
      });
      const kept = rows.length;
      expect(preview.rows).toBe(kept);
      for (const name of ['a', 'b'] as const) {
        const column = preview.columns.find((c) => c.name === name)!;
        const filled = rows.map((r) => r[name]).filter((v) => v !== null);
        expect([column.nulls, column.distinct]).toEqual([rows.length - filled.length, new Set(filled).size]);
        expect(column.distribution.reduce((x, y) => x + y, 0)).toBe(filled.length);
      }
    }),
    { numRuns: cases(50) },
  );
});
