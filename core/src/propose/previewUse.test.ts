import { previewUse } from './index.ts';

const proposed = (name: string, type: string, distinct: number, nulls = 0, rows = 1000) => {
  const { use, aggregate } = previewUse({ name, nulls, distinct }, type, rows);
  return aggregate ? [use, aggregate] : [use];
};

test.each<[string, string, number, string[]]>([
  ['branch_code', 'text', 40, ['reference']],
  ['branch_code', 'text', 1000, ['key']],
  ['card_no', 'integer', 900, ['reference']],
  ['loan_id', 'integer', 1000, ['key']],
  ['fine', 'decimal(9,2)', 300, ['quantity', 'sum']],
  ['renewals', 'integer', 7, ['quantity', 'sum']],
  ['price', 'decimal(7,2)', 300, ['quantity', 'avg']],
  ['fiscal_year', 'integer', 5, ['attribute']],
  ['weight_in_grams', 'integer', 990, ['attribute']],
  ['name', 'text', 1000, ['attribute']],
  ['opened', 'date', 600, ['attribute']],
])('%s of type %s with %i different values', (name, type, distinct, expected) => {
  expect(proposed(name, type, distinct)).toEqual(expected);
});

test('a column with a gap is no key, and few rows prove nothing', () => {
  expect(proposed('loan_id', 'integer', 999, 1)).toEqual(['reference']);
  expect(proposed('pages', 'integer', 10, 0, 10)).toEqual(['quantity', 'sum']);
});
