import Ajv2020 from 'ajv/dist/2020';
import addFormats from 'ajv-formats';
import fc from 'fast-check';
import type { Model } from '../model/index.ts';
import type { DataType, Value } from '../values/index.ts';
import { parseType, toJson } from '../values/index.ts';
import { rowSchemas } from './index.ts';

const TYPES = ['integer', 'decimal(9,2)', 'decimal(38,0)', 'double', 'text', 'boolean', 'date', 'timestamp'];
const model: Model = {
  crease: 1,
  name: 'a library',
  tables: [
    {
      name: 'loan',
      role: 'fact',
      key: ['no'],
      description: 'What was lent.',
      columns: [
        { name: 'no', type: 'integer' },
        { name: 'code', type: 'text', length: 3, title: 'Code' },
        ...TYPES.map((type) => ({ name: `a ${type}`, type })),
      ],
    },
    { name: 'raw', role: 'staging', columns: [{ name: 'line', type: 'text' }] },
  ],
};
const ajv = addFormats(new Ajv2020({ allowUnionTypes: true }));
const schema = rowSchemas(model).get('loan')!;
const isRow = ajv.compile(schema);

const valueOf: Readonly<Record<string, fc.Arbitrary<Value>>> = {
  integer: fc.bigInt({ min: -(2n ** 63n), max: 2n ** 63n - 1n }).map((n): Value => {
    const small = Number(n);
    return Number.isSafeInteger(small) ? small : n;
  }),
  'decimal(9,2)': fc.integer({ min: -999_999_999, max: 999_999_999 }),
  'decimal(38,0)': fc.bigInt({ min: -(10n ** 38n) + 1n, max: 10n ** 38n - 1n }),
  double: fc.double({ noNaN: true, noDefaultInfinity: true }),
  text: fc.string(),
  boolean: fc.boolean(),
  date: fc.integer({ min: -100_000, max: 100_000 }),
  timestamp: fc.integer({ min: 0, max: 4_000_000_000 }).map((seconds): Value => seconds * 1_000_000),
};

test('rows as they are written in JSON are rows by their schema, null included', () => {
  const row = fc.record(
    Object.fromEntries(
      TYPES.map((type) => [
        `a ${type}`,
        fc.option(valueOf[type]!, { nil: null }).map((value) => toJson(value, parseType(type) as DataType)),
      ]),
    ),
  );
  fc.assert(
    fc.property(row, fc.integer(), (values, no) => {
      const is = isRow({ no, code: null, ...values });
      expect([values, isRow.errors]).toEqual([values, null]);
      expect(is).toBe(true);
    }),
  );
});

test('what is no row is none: a key that is null, a text too long, a column more or less, a wrong type', () => {
  const good = { no: 1, code: 'abc', ...Object.fromEntries(TYPES.map((type) => [`a ${type}`, null])) };
  expect(isRow(good)).toBe(true);
  for (const wrong of [
    { no: null },
    { code: 'abcd' },
    { more: 1 },
    { code: undefined },
    { 'a decimal(9,2)': 1.5 },
    { 'a decimal(9,2)': '1.234' },
    { 'a integer': '12a' },
    { 'a date': '2026-02-30' },
    { 'a boolean': 'true' },
  ]) {
    const { code, ...rest } = { ...good, ...wrong };
    expect([wrong, isRow(code === undefined ? rest : { code, ...rest })]).toEqual([wrong, false]);
  }
  expect([...rowSchemas(model).keys()]).toEqual(['loan']);
});
