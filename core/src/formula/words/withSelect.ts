import type { Word } from './definition.ts';

export const withSelect: Word = {
  word: 'with',
  form: 'with name as (formula) select formula',
  documentation: 'Gives a part a name, to be used several times.',
  example: { formula: 'with l as (count(loan)) select l * 2', gives: 10 },
};
