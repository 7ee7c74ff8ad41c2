import fc from 'fast-check';
import type { Model } from '../model/index.ts';
import { parseType, toJson } from '../values/index.ts';
import type { Typed } from './index.ts';
import {
  compileScalar,
  FormulaChecker,
  FUNCTIONS,
  layOutFormula,
  parseFormula,
  parsePeriod,
  placeOf,
  quoteName,
  tokenize,
} from './index.ts';
import { cases } from '../../../tools/cases.ts';

const model: Model = {
  crease: 1,
  name: 'small',
  tables: [
    {
      name: 'loan',
      role: 'fact',
      key: ['id'],
      columns: [
        { name: 'id', type: 'integer' },
        { name: 'branch_id', type: 'integer' },
        { name: 'copies', type: 'integer' },
        { name: 'fine', type: 'decimal(9,2)' },
        { name: 'day', type: 'date' },
        { name: 'note', type: 'text' },
        { name: 'late', type: 'boolean' },
      ],
    },
    {
      name: 'branch',
      role: 'dimension',
      key: ['branch_id'],
      columns: [
        { name: 'branch_id', type: 'integer' },
        { name: 'name', type: 'text' },
      ],
    },
    {
      name: 'budget',
      role: 'fact',
      key: ['id'],
      columns: [
        { name: 'id', type: 'integer' },
        { name: 'amount', type: 'decimal(9,2)' },
      ],
    },
  ],
  relationships: [
    {
      name: 'loan_branch',
      from: { table: 'loan', columns: ['branch_id'] },
      to: { table: 'branch', columns: ['branch_id'] },
    },
  ],
  measures: [
    { name: 'Loans', formula: 'count(loan)' },
    { name: 'Broken', formula: 'sum(loan.copis)' },
    { name: 'Rests', formula: '"Broken" + 1' },
    { name: 'Hen', formula: '"Egg" + 1' },
    { name: 'Egg', formula: '"Hen" - 1' },
  ],
};
const checker = new FormulaChecker(model);
const faults = (formula: string) => checker.measureFormula(formula).faults.map((f) => f.message);

/** The value of a formula over constants. */
function constantValue(formula: string) {
  const checked = checker.condition(`(${formula}) is null`);
  const inner = (checked.typed as Extract<Typed, { kind: 'is-null' }>).operand;
  const evaluate = compileScalar(inner, () => {
    throw new Error('no columns here');
  });
  return toJson(evaluate(0), inner.type ?? parseType('text')!);
}

describe('functions', () => {
  test.each([
    ['make_date(2023, 2, 29)', null],
    ['make_date(2024, 13, 1)', null],
    ['make_date(2024, 0, 1)', null],
    ['make_date(2024, 12, -1)', null],
    ['make_date(0, 1, 1)', null],
    ['make_date(10000, 1, 1)', null],
    ['make_date(9223372036854775807, 1, 1)', null],
    ['make_date(null, 1, 1)', null],
    ['make_date(1, 1, 1)', '0001-01-01'],
  ])('%s is %s', (formula, gives) => expect(constantValue(formula)).toEqual(gives));

  test('parts of a day are integers', () => {
    expect(checker.condition('make_date(2024.0, 1, 1) is null').faults[0]!.message).toContain(
      'cast(2024.0 as integer)',
    );
  });

  test.each(FUNCTIONS.map((f) => [f.name, f] as const))('%s does what its example says', (_name, f) => {
    expect(constantValue(f.example.formula)).toEqual(f.example.gives);
    expect(f.documentation.length).toBeGreaterThan(5);
  });

  test.each([
    ['1 + 2 * 3', 7],
    ['-7 % 5', -2],
    ['7 / 0', null],
    ['0.1 + 0.2 = 0.3', true],
    ["'a' || 'b'", 'ab'],
    ["case 2 when 1 then 'one' when 2 then 'two' end", 'two'],
    ['null or true', true],
    ['not null', null],
    ['3 between 1 and 3', true],
    ['1 in (2, null)', null],
    ["'100%' like '1__\\%'", false],
    ["'abc' like 'a_c'", true],
    ['null is distinct from 1', true],
    ['cast(2.5 as integer)', 3],
    ["cast('1.239' as decimal(5,2))", '1.24'],
    ["cast(date '2026-01-31' as timestamp)", '2026-01-31T00:00:00'],
    ['9223372036854775806 + 1', '9223372036854775807'],
    ['sqrt(-1)', null],
    ['greatest(1, null)', null],
  ])('%s gives %j', (formula, value) => {
    expect(constantValue(formula)).toEqual(value);
  });
});

describe('faults', () => {
  test.each([
    ['sum(loan.copeis)', 'no column "loan.copeis": did you mean "loan.copies"?'],
    ['sum(loan.note)', 'sum needs a number, loan.note is text'],
    ['sum(budget.amount * loan.copies)', 'not connected: use two measures'],
    ['loan.copies * 2', 'loan.copies is outside of an aggregate'],
    ["count(loan) filter (where loan.day > '2026-01-01')", "write date '2026-01-01'"],
    ['medain(loan.copies)', 'did you mean "median"?'],
    ['"Lons"', 'no measure "Lons": did you mean "Loans"?'],
    ['"Loans" where budget.amount > 1', 'does not reach loan'],
    ['count(loan) filter (where loan.copies)', 'a condition is true or false, loan.copies is an integer'],
    ["max('No. ' || loan.copies)", 'write cast(loan.copies as text)'],
    ['"Loans" where loan.late where loan.late', 'where occurs twice in one chain'],
    ['sum(loan.copies', ') expected after the argument of sum'],
    ["'open", 'a text is not closed'],
  ])('%s: %s', (formula, message) => {
    expect(faults(formula).join('\n')).toContain(message);
  });

  test('all of a formula are told at once, with their places', () => {
    const { faults: found } = checker.measureFormula('sum(loan.copeis)\n  / medain(loan.fine)');
    expect(found).toHaveLength(2);
    expect(placeOf('sum(loan.copeis)\n  / medain(loan.fine)', found[1]!.start)).toEqual({
      line: 2,
      column: 5,
    });
  });

  test('a broken measure is told of once; one that uses it rests on it; a circle is a fault', () => {
    expect(checker.measure('Rests')!.faults).toEqual([]);
    expect(checker.measure('Rests')!.restsOn).toEqual(['Broken']);
    const circular = [checker.measure('Hen')!, checker.measure('Egg')!].flatMap((c) =>
      c.faults.map((f) => f.message),
    );
    expect(circular.join()).toMatch(/circle: .*Hen.*Egg|circle: .*Egg.*Hen/);
  });

  test('the parser never throws, whatever it is given', () => {
    const words = fc.constantFrom(
      'sum',
      '(',
      ')',
      'loan',
      '.',
      ',',
      'where',
      'case',
      'when',
      'end',
      '"',
      "'",
      'over',
      'at',
      '1',
      '-',
      'per',
      'with',
      'as',
      '--',
      '/*',
      'é',
      '\n',
    );
    fc.assert(
      fc.property(fc.array(words, { maxLength: 25 }), (parts) => {
        const formula = parts.join(' ');
        parseFormula(formula);
        checker.measureFormula(formula);
      }),
      { numRuns: cases(400) },
    );
  });
});

describe('layout', () => {
  test.each([
    ['SUM( Loan.Copies )/2', 'sum(Loan.Copies) / 2'],
    [
      'count(loan)FILTER(WHERE Loan.Late AND not loan.late)',
      'count(loan) filter (where Loan.Late and not loan.late)',
    ],
    ['-sum(loan.copies)*-1', '-sum(loan.copies) * -1'],
    ['"Loans"   WHERE x.y IN(1,2)', '"Loans" where x.y in (1, 2)'],
    ['"Loans" OVER(YEAR TO DATE) -- so far', '"Loans" over (year to date) -- so far'],
    ["max(DATE '2026-01-01')", "max(date '2026-01-01')"],
    ['sum(loan."Year")', 'sum(loan."Year")'],
  ])('%s becomes %s', (source, laidOut) => {
    expect(layOutFormula(source)).toBe(laidOut);
  });

  const pieces = fc.constantFrom(
    'SUM(loan.copies)',
    '"Loans"',
    'Case When 1 = 1 Then 2 Else 3 End',
    'count(loan) FILTER (WHERE loan.late)',
    '12.50',
    "'a  b'",
    '/* kept */ 1',
    'nullif(1,2)',
    '( 3 )',
  );
  const formulas = fc.array(pieces, { minLength: 1, maxLength: 7 }).map((parts) => parts.join(' +\n'));

  test('is idempotent, keeps the meaning and the comments, and breaks long formulas', () => {
    const tokensOf = (text: string) => tokenize(text).tokens.map((t) => `${t.kind}:${t.text}`);
    fc.assert(
      fc.property(formulas, (formula) => {
        const once = layOutFormula(formula);
        expect(layOutFormula(once)).toBe(once);
        expect(tokensOf(once)).toEqual(tokensOf(formula));
        expect(tokenize(once).comments.map((c) => c.text)).toEqual(
          tokenize(formula).comments.map((c) => c.text),
        );
      }),
    );
  });
});

test('names are quoted where they must be', () => {
  expect(['loan', 'Loan', 'two words', 'where', 'a"b'].map(quoteName)).toEqual([
    'loan',
    '"Loan"',
    '"two words"',
    '"where"',
    '"a""b"',
  ]);
});

test.each([
  'year to date',
  'all to date',
  'whole fiscal quarter',
  'previous month',
  'next week',
  'same period 2 quarters back',
  'last 12 months',
  'fiscal year to date',
])('"%s" is a period', (text) => {
  expect(parsePeriod(text)).toMatchObject({ faults: [], period: {} });
});

test('a misspelt period is told of with a near one', () => {
  expect(parsePeriod('yeer to date').faults[0]!.message).toContain('did you mean "year to date"');
});

describe('a formula that is too large is a fault in its place, and is walked by nothing', () => {
  test.each([
    ['9,000 terms', Array(9000).fill('1').join(' + '), /characters, the most is 20,000/],
    ['600 terms', Array(600).fill('1').join(' + '), /more than 400 operations/],
    ['1,700 parentheses', `${'('.repeat(1700)}1${')'.repeat(1700)}`, /deeper than 100 levels/],
    ['2,000 signs', `${'- '.repeat(2000)}1`, /deeper than 100 levels/],
    [
      'chains within chains',
      `${'(1 + '.repeat(90)}${Array(390).fill('1').join('+')}${')'.repeat(90)}`,
      /operations/,
    ],
  ])('%s', (_name, formula, message) => {
    const { faults, tree } = parseFormula(formula);
    expect(faults).toHaveLength(1);
    expect(faults[0]!.message).toMatch(message);
    expect(tree.kind).toBe('missing');
    expect(() => layOutFormula(formula)).not.toThrow();
  });

  test('what is large, but not too large, works', () => {
    expect(parseFormula(Array(300).fill('1').join(' + ')).faults).toEqual([]);
    expect(constantValue(`${'('.repeat(90)}2${')'.repeat(90)}`)).toBe(2);
  });
});
