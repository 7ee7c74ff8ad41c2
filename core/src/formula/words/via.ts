import type { Word } from './definition.ts';

export const via: Word = {
  word: 'via',
  form: 'M via relationship',
  documentation: 'Takes the named relationship instead of the default way.',
  example: { formula: '"Loans" via returned_on where calendar.year = 2026', gives: 5 },
};
