import type { Word } from './definition.ts';

export const at: Word = {
  word: 'at',
  form: 'M at last table.column per table.column',
  documentation:
    'Of the rows that are left only those with the greatest value, or with first the least: the last counted stock of a snapshot.',
  example: { formula: 'sum(stock.copies) at last stock.day', gives: 30 },
};
