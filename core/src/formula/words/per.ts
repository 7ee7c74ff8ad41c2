import type { Word } from './definition.ts';

export const per: Word = {
  word: 'per',
  form: 'agg(M per table.column)',
  documentation: 'The measure for each member, then the aggregate over what it gives.',
  example: { formula: 'max("Loans" per branch.id)', gives: 3 },
};
