import type { Word } from './definition.ts';

export const ignoring: Word = {
  word: 'ignoring',
  form: 'M ignoring table, table.column, all reaching table or everything',
  documentation: 'Drops conditions: those on what it names, those that reach a table, or all.',
  example: { formula: `("Loans" ignoring branch) where branch.region = 'North'`, gives: 5 },
};
