import type { Word } from './definition.ts';

export const whole: Word = {
  word: 'whole',
  form: 'whole unit',
  documentation: 'All days of the units that the days lie in.',
  example: { formula: '"Loans" over (whole quarter)', gives: 4 },
};
