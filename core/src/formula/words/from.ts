import type { Word } from './definition.ts';

export const from: Word = {
  word: 'from',
  form: 'agg(x) from table',
  documentation: 'Names the table whose rows are counted, where the argument alone would name another.',
  example: { formula: 'count(distinct branch.region) from loan', gives: 2 },
};
