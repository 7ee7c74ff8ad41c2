import type { Model } from '@crease/core/model';
import { objectAt } from './formulaNames.ts';

const model: Model = {
  crease: 1,
  name: 'm',
  tables: [
    { name: 'loan', role: 'fact', columns: [{ name: 'fine', type: 'decimal(9,2)' }] },
    { name: 'Due on', role: 'dimension', columns: [{ name: 'day of week', type: 'integer' }] },
  ],
  measures: [
    { name: 'Loans', formula: 'count(loan)' },
    { name: 'loan', formula: '1' },
  ],
};
const at = (source: string, word: string, own?: string) => {
  const found = objectAt(source, source.indexOf(word) + 1, model, own);
  return found && [found.kind, found.name, source.slice(found.start, found.end)];
};

test.each([
  ['sum(loan.fine)', 'fine', ['column', 'loan.fine', 'loan.fine']],
  ['sum(loan.fine)', 'loan', ['table', 'loan', 'loan']],
  ['"Loans" / 2', 'Loans', ['measure', 'Loans', '"Loans"']],
  ['"Due on"."day of week"', 'day', ['column', 'Due on.day of week', '"Due on"."day of week"']],
  ["'loan' || x", 'loan', undefined],
  ['sum(loan.fine)', 'sum', undefined],
  ['loan.nothing', 'nothing', undefined],
])('in %s at %s', (source, word, found) => {
  expect(at(source, word)).toEqual(found);
});

test('a column of the own table goes by its name alone', () => {
  expect(at('fine > 1', 'fine', 'loan')).toEqual(['column', 'loan.fine', 'fine']);
  expect(at('fine > 1', 'fine')).toBeUndefined();
});
