import fc from 'fast-check';
import type { Value } from '../values/index.ts';
import { DATE, decimal, DOUBLE, INTEGER, TEXT, BOOLEAN, compareText } from '../values/index.ts';
import {
  candidateSizes,
  changedColumn,
  codeOfValue,
  codesArray,
  columnOfValues,
  columnValues,
  decodeDomain,
  decodeSegment,
  encodeDomain,
  encodeSegment,
  ENCODINGS,
  valueAt,
} from './index.ts';
import { statisticsOf } from './encodings/encoding.ts';

const codeArrays = fc
  .oneof(
    fc.array(fc.nat(3), { maxLength: 3000 }),
    fc
      .array(fc.nat(9), { maxLength: 3000 })
      .map((steps) => steps.map((_, i) => steps.slice(Math.max(0, i - 50), i).reduce((a, b) => a + b, i * 10))),
    fc.array(fc.nat(100_000), { maxLength: 3000 }),
    fc.array(fc.integer({ min: 0, max: 0xffffffff }), { maxLength: 50 }),
    fc
      .array(fc.tuple(fc.nat(50), fc.integer({ min: 1, max: 200 })), { maxLength: 30 })
      .map((runs) => runs.flatMap(([v, n]) => Array<number>(n).fill(v))),
  )
  .filter((codes) => codes.length > 0)
  .map((codes) => Uint32Array.from(codes));

test.each(ENCODINGS.map((e) => [e.name, e] as const))(
  '%s: decode gives back what was encoded, at the size announced',
  (_name, encoding) => {
    fc.assert(
      fc.property(codeArrays, (codes) => {
        const statistics = statisticsOf(codes);
        const announced = encoding.bytes(statistics);
        if (announced === undefined) return;
        const bytes = encoding.encode(codes, statistics);
        expect(bytes.length).toBe(announced);
        const out = new Uint32Array(codes.length + 2);
        encoding.decode(bytes, codes.length, out, 1);
        expect(out.subarray(1, codes.length + 1)).toEqual(codes);
      }),
      { numRuns: 60 },
    );
  },
);

test('the smallest candidate is the one that is taken', () => {
  fc.assert(
    fc.property(codeArrays, (codes) => {
      const segment = encodeSegment(codes);
      expect(segment.bytes.length).toBe(candidateSizes(codes)[0]!.bytes);
      const out = codesArray(0xffffffff, codes.length);
      decodeSegment(segment, out, 0);
      expect(out).toEqual(codes);
    }),
    { numRuns: 60 },
  );
});

const typed = fc.oneof(
  fc
    .array(fc.option(fc.string({ unit: 'binary' }).filter((s) => s.isWellFormed())))
    .map((values) => ({ type: TEXT, values: values as Value[] })),
  fc.array(fc.option(fc.integer())).map((values) => ({ type: INTEGER, values: values as Value[] })),
  fc.array(fc.option(fc.bigInt({ min: 2n ** 60n, max: 2n ** 62n }))).map((values) => ({ type: INTEGER, values: values as Value[] })),
  fc.array(fc.option(fc.integer({ min: 0, max: 500 }))).map((values) => ({ type: DATE, values: values as Value[] })),
  fc.array(fc.option(fc.integer())).map((values) => ({ type: decimal(12, 2), values: values as Value[] })),
  fc
    .array(fc.option(fc.double({ noNaN: true, noDefaultInfinity: true }).map((d) => d + 0)))
    .map((values) => ({ type: DOUBLE, values: values as Value[] })),
  fc.array(fc.option(fc.boolean())).map((values) => ({ type: BOOLEAN, values: values as Value[] })),
);

test('a column gives back its values, its statistics agree with them, and its domain survives storage', () => {
  fc.assert(
    fc.property(typed, ({ type, values }) => {
      const column = columnOfValues('c', type, values);
      expect(values.map((_, row) => valueAt(column, row))).toEqual(values);
      expect(column.nulls).toBe(values.filter((v) => v === null).length);
      expect(column.distinct).toBe(new Set(values.filter((v) => v !== null)).size);
      const back = decodeDomain(encodeDomain(column.domain, type));
      const decoded = columnValues(changedColumn(column, { domain: back }));
      expect(decoded).toEqual(columnValues(column));
      for (const value of values) expect(columnValues(column)[codeOfValue(column.domain, value)]).toEqual(value);
    }),
    { numRuns: 200 },
  );
});

test('codes of text compare by code point, also beyond the basic plane', () => {
  const column = columnOfValues('c', TEXT, ['\u{1F600}', '\uFF5E', 'é', 'a', 'Z', '0']);
  expect(columnValues(column).slice(1)).toEqual(['0', 'Z', 'a', 'é', '\uFF5E', '\u{1F600}']);
  expect(compareText('\u{1F600}', '\uFF5E')).toBe(1);
});
