import fc from 'fast-check';
import { columnOfValues } from '../columns/index.ts';
import { compileScalar, FormulaChecker } from '../formula/index.ts';
import type { Model } from '../model/index.ts';
import type { Value } from '../values/index.ts';
import { parseType } from '../values/index.ts';
import { codesWhere, conjuncts } from './codeRanges.ts';
import { cases } from '../../../tools/cases.ts';

const TYPES = ['integer', 'decimal(9,2)', 'double', 'text', 'date', 'boolean'] as const;
const model: Model = {
  crease: 1,
  name: 'm',
  tables: [{ name: 't', role: 'fact', columns: TYPES.map((type, i) => ({ name: `c${i}`, type })) }],
};
const checker = new FormulaChecker(model);
const table = model.tables[0]!;

const constantOf: Readonly<Record<(typeof TYPES)[number], fc.Arbitrary<string>>> = {
  integer: fc.oneof(
    fc.integer({ min: -9, max: 9 }).map(String),
    fc.constantFrom('null', '2.5', '-0.01', '3 - 1'),
  ),
  'decimal(9,2)': fc.oneof(
    fc.integer({ min: -5, max: 5 }).map(String),
    fc.constantFrom('null', '1.25', '1.255', '1e0'),
  ),
  double: fc.constantFrom('0', '1.5', '-2', '1e3', 'null', '0.25'),
  text: fc.constantFrom("'a'", "'b'", "''", "'Ä'", 'null', "upper('b')"),
  date: fc.constantFrom("date '2024-01-01'", "date '2024-06-30'", 'null'),
  boolean: fc.constantFrom('true', 'false', 'null'),
};
const valueOf: Readonly<Record<(typeof TYPES)[number], fc.Arbitrary<Value>>> = {
  integer: fc.integer({ min: -6, max: 6 }),
  'decimal(9,2)': fc.integer({ min: -300, max: 300 }),
  double: fc.constantFrom(-2, -0.5, 0, 0.25, 1.5, 1000),
  text: fc.constantFrom('', 'a', 'B', 'b', 'Ä', 'é'),
  date: fc.integer({ min: 19700, max: 19910 }),
  boolean: fc.boolean(),
};

const condition = (type: (typeof TYPES)[number], c: string): fc.Arbitrary<string> => {
  const constant = constantOf[type];
  const leaf = fc.oneof(
    fc
      .tuple(fc.constantFrom('=', '<>', '<', '<=', '>', '>='), constant, fc.boolean())
      .map(([o, k, turned]) => (turned ? `${k} ${o} ${c}` : `${c} ${o} ${k}`)),
    fc
      .tuple(fc.array(constant, { minLength: 1, maxLength: 3 }), fc.boolean())
      .map(([list, not]) => `${c} ${not ? 'not ' : ''}in (${list.join(', ')})`),
    fc.boolean().map((not) => `${c} is ${not ? 'not ' : ''}null`),
    fc.tuple(constant, constant).map(([a, b]) => `${c} between ${a} and ${b}`),
  );
  return fc.letrec<{ any: string; leaf: string }>((tie) => ({
    leaf,
    any: fc.oneof(
      { maxDepth: 3 },
      tie('leaf'),
      fc.tuple(tie('any'), fc.constantFrom('and', 'or'), tie('any')).map(([a, o, b]) => `(${a} ${o} ${b})`),
      tie('any').map((a) => `not (${a})`),
    ),
  })).any;
};

test.each(TYPES.map((type, i) => [type, i] as const))(
  'ranges of codes of %s say what each value says',
  (type, i) => {
    const values = fc.array(
      fc.oneof({ weight: 5, arbitrary: valueOf[type] }, { weight: 1, arbitrary: fc.constant(null) }),
      { minLength: 1, maxLength: 12 },
    );
    let ranged = 0;
    fc.assert(
      fc.property(values, condition(type, `c${i}`), (rows, text) => {
        const { typed, faults } = checker.rowFormula(table, text);
        fc.pre(typed !== undefined && faults.length === 0);
        const column = columnOfValues(`c${i}`, parseType(type)!, rows);
        const mask = codesWhere(column, typed!);
        if (!mask) return;
        ranged++;
        const passes = compileScalar(typed!, () => (row) => rows[row]!);
        const said = rows.map((_, row) => [rows[row], mask[column.codes[row]!]]);
        expect({ text, said }).toEqual({
          text,
          said: rows.map((_, row) => [rows[row], passes(row) === true ? 1 : 0]),
        });
      }),
      { numRuns: cases(400) },
    );
    expect(ranged).toBeGreaterThan(cases(150));
  },
);

test('what is no range of one column is judged by value', () => {
  const column = columnOfValues('c0', parseType('integer')!, [1, 2]);
  for (const text of [
    'mod(c0, 2) = 1',
    'c0 = c0',
    'case when c0 > 1 then true else false end',
    "cast(c0 as text) = '1'",
  ])
    expect([text, codesWhere(column, checker.rowFormula(table, text).typed!)]).toEqual([text, undefined]);
});

test('a condition is true where all of its conjuncts are', () => {
  const { typed } = checker.rowFormula(table, 'c0 between 1 and 3 and (c1 > 1 or c2 > 1) and c3 is null');
  expect(conjuncts(typed!)).toHaveLength(4);
});
