import type { Word } from './definition.ts';

export const given: Word = {
  word: 'given',
  form: 'M given table or table.column',
  documentation: 'Drops all conditions but those on what it names.',
  example: { formula: `("Loans" given calendar) where branch.region = 'North'`, gives: 5 },
};
