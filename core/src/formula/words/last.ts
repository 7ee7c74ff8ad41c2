import type { Word } from './definition.ts';

export const last: Word = {
  word: 'last',
  form: 'last n units',
  documentation: 'So many units back from the last day on.',
  example: { formula: '"Loans" over (last 30 days)', gives: 2 },
};
