import type { ScalarFunction } from './definition.ts';
import { needsText } from './definition.ts';
import { INTEGER } from '../../values/index.ts';

export const charLength: ScalarFunction = {
  name: 'char_length',
  parameters: 'x',
  documentation: 'How many characters the text has.',
  example: { formula: "char_length('Élan')", gives: 4 },
  arity: [1, 1],
  check: (args) =>
    needsText('char_length', args) ?? { type: INTEGER, evaluate: (text) => [...(text as string)].length },
};
