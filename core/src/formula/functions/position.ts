import type { ScalarFunction } from './definition.ts';
import { needsText } from './definition.ts';
import { INTEGER } from '../../values/index.ts';

export const position: ScalarFunction = {
  name: 'position',
  parameters: 'part, x',
  documentation: 'Where part first occurs in x, counted in characters from 1; 0 where it does not.',
  example: { formula: "position('an', 'Élan')", gives: 3 },
  arity: [2, 2],
  check: (args) =>
    needsText('position', args) ?? {
      type: INTEGER,
      evaluate: (part, text) => {
        const at = (text as string).indexOf(part as string);
        return at < 0 ? 0 : [...(text as string).slice(0, at)].length + 1;
      },
    },
};
