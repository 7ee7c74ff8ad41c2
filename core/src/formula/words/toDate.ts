import type { Word } from './definition.ts';

export const toDate: Word = {
  word: 'to date',
  form: 'unit to date, or all to date',
  documentation: 'From the beginning of the unit to the last day: year to date.',
  example: { formula: '"Loans" over (month to date)', gives: 1 },
};
