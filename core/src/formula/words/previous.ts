import type { Word } from './definition.ts';

export const previous: Word = {
  word: 'previous',
  form: 'previous unit',
  documentation: 'All days of the unit before.',
  example: { formula: '"Loans" over (previous month)', gives: 2 },
};
