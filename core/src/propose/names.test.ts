import { nameLikeness, wordsOf } from './index.ts';

test.each([
  ['loanDate', ['loan', 'date']],
  ['CARD_NO', ['card', 'no']],
  ['title authors', ['title', 'author']],
  ['categories', ['category']],
  ['glass', ['glass']],
])('%s is made of the words %j', (name, words) => {
  expect(wordsOf(name)).toEqual(words);
});

test.each([
  ['branch_id', 'branch_id', 1],
  ['branchId', 'BRANCH_ID', 1],
  ['dim_branch', 'branches', 1],
])('%s and %s are the same name', (a, b, likeness) => {
  expect(nameLikeness(a, b)).toBe(likeness);
});

test('a shared word makes names alike, a generic one does not', () => {
  expect(nameLikeness('return_branch_code', 'branch_code')).toBeGreaterThan(0.5);
  expect(nameLikeness('loan_date', 'due_date')).toBe(0);
  expect(nameLikeness('card_no', 'receipt_no')).toBe(0);
});
