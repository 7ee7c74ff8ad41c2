import type { Word } from './definition.ts';

export const where: Word = {
  word: 'where',
  form: 'M where condition',
  documentation: 'Adds a condition on rows.',
  example: { formula: `"Loans" where branch.region = 'North'`, gives: 3 },
};
