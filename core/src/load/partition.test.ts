import fc from 'fast-check';
import { columnOfCodes, columnOfValues, columnValues, compacted, encodeDomain } from '../columns/index.ts';
import { DATE, INTEGER, parseType, TEXT, textReader } from '../values/index.ts';
import { NO_PART, partedRows, partitionFault, partNamed, partOfValue } from './index.ts';

const day = (text: string) => textReader(DATE)(text) as number;
const TIMESTAMP = parseType('timestamp')!;

test('a day is in its year, quarter and month; a moment in those of its day; a value in its own part', () => {
  expect(partOfValue(day('2026-05-17'), DATE, 'year')).toBe('2026');
  expect(partOfValue(day('2026-05-17'), DATE, 'quarter')).toBe('2026-Q2');
  expect(partOfValue(day('2026-01-01'), DATE, 'month')).toBe('2026-01');
  expect(partOfValue(day('1969-12-31'), DATE, 'year')).toBe('1969');
  const moment = textReader(TIMESTAMP)('2025-12-31 23:59:59')!;
  expect(partOfValue(moment, TIMESTAMP, 'month')).toBe('2025-12');
  expect(partOfValue('North', TEXT, 'value')).toBe('North');
  expect(partOfValue(null, DATE, 'year')).toBe(NO_PART);
  expect(partitionFault(TEXT, 'year')).toMatch(/date/);
  expect([partitionFault(TEXT, 'value'), partitionFault(TIMESTAMP, 'month')]).toEqual([undefined, undefined]);
  expect([partNamed('loan', 'LOAN:2025'), partNamed('loan', '2025')]).toEqual(['2025', '2025']);
});

test('every row is in just one part, in its order, and rows without a value come last', () => {
  const days = fc.array(fc.option(fc.integer({ min: 19_000, max: 21_000 }), { freq: 6 }), { maxLength: 120 });
  fc.assert(
    fc.property(days, fc.constantFrom('year', 'quarter', 'month', 'value'), (values, every) => {
      const column = columnOfValues('d', DATE, values);
      const parts = partedRows(column, every as 'year');
      expect(parts.flatMap((p) => [...p.rows]).sort((a, b) => a - b)).toEqual(values.map((_, row) => row));
      for (const { part, rows } of parts) {
        expect([...rows]).toEqual([...rows].sort((a, b) => a - b));
        for (const row of rows) expect(partOfValue(values[row]!, DATE, every as 'year')).toBe(part);
      }
      const names = parts.map((p) => p.part).filter((p) => p !== NO_PART);
      expect(names).toEqual([...names].sort());
      if (values.includes(null)) expect(parts.at(-1)!.part).toBe(NO_PART);
    }),
  );
});

test('a part has no dictionary but of its own values', () => {
  const values = fc.array(fc.option(fc.integer({ min: 0, max: 5000 })), { minLength: 1, maxLength: 60 });
  fc.assert(
    fc.property(values, fc.boolean(), (list, isText) => {
      const type = isText ? TEXT : INTEGER;
      const of = (rows: readonly (number | null)[]) =>
        columnOfValues('c', type, isText ? rows.map((v) => (v === null ? null : `t${v}`)) : rows);
      const whole = of(list);
      const half = list.slice(0, Math.ceil(list.length / 2));
      const made = compacted(columnOfCodes('c', type, whole.domain, whole.codes.slice(0, half.length)));
      const plain = of(half);
      expect([...made.codes].map((code) => columnValues(made)[code])).toEqual(
        [...plain.codes].map((code) => columnValues(plain)[code]),
      );
      expect(encodeDomain(made.domain, type)).toEqual(encodeDomain(plain.domain, type));
      expect([made.distinct, made.nulls, made.runs]).toEqual([plain.distinct, plain.nulls, plain.runs]);
    }),
  );
});
