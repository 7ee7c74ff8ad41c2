import { textFunction } from './definition.ts';

export const trim = textFunction(
  'trim',
  'The text without blanks at its ends.',
  { formula: "trim('  ash ')", gives: 'ash' },
  (text) => text.replace(/^ +| +$/g, ''),
);
