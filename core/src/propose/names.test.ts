import { isOfValidity, nameLikeness, wordsOf } from './index.ts';

test.each([
  ['loanDate', ['loan', 'date']],
  ['CARD_NO', ['card', 'no']],
  ['title authors', ['title', 'author']],
  ['categories', ['category']],
  ['glass', ['glass']],
  ['lévied_ön', ['levied', 'on']],
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

test('names that were given for want of a header are like none', () => {
  expect(nameLikeness('column_1', 'column_1')).toBe(0);
});

test.each([
  ['valid_from', true],
  ['Válid to', true],
  ['effectiveSince', true],
  ['leased_from', false],
  ['valid', false],
])('%s is an end of a validity: %s', (name, is) => {
  expect(isOfValidity(name)).toBe(is);
});
