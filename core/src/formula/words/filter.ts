import type { Word } from './definition.ts';

export const filter: Word = {
  word: 'filter',
  form: 'agg(x) filter (where condition)',
  documentation: 'Only rows for which the condition is true count in this one aggregate.',
  example: { formula: 'count(loan) filter (where loan.late)', gives: 3 },
};
