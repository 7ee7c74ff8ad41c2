import type { Word } from './definition.ts';

export const same: Word = {
  word: 'same',
  form: 'same period n units back',
  documentation: 'The same days, so many units earlier.',
  example: { formula: '"Loans" over (same period 1 year back)', gives: 1 },
};
