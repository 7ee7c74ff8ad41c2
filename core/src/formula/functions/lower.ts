import { textFunction } from './definition.ts';

export const lower = textFunction(
  'lower',
  'The text in small letters.',
  { formula: "lower('ÉLAN')", gives: 'élan' },
  (text) => text.toLowerCase(),
);
