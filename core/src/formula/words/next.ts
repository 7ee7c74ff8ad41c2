import type { Word } from './definition.ts';

export const next: Word = {
  word: 'next',
  form: 'next unit',
  documentation: 'All days of the unit after.',
  example: { formula: '"Loans" over (next month)', gives: 0 },
};
