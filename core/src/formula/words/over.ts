import type { Word } from './definition.ts';

export const over: Word = {
  word: 'over',
  form: 'M over (period)',
  documentation: 'Replaces the conditions on the calendar by the days of a period.',
  example: { formula: '"Loans" over (whole year)', gives: 4 },
};
