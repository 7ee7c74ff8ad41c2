import { textFunction } from './definition.ts';

export const upper = textFunction(
  'upper',
  'The text in capital letters.',
  { formula: "upper('élan')", gives: 'ÉLAN' },
  (text) => text.toUpperCase(),
);
