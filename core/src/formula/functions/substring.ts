import type { ScalarFunction } from './definition.ts';
import { needsNumber, needsText } from './definition.ts';
import { TEXT } from '../../values/index.ts';

export const substring: ScalarFunction = {
  name: 'substring',
  parameters: 'x, start, length',
  documentation:
    'Characters of x from start (1 is the first) on; length characters, or all that follow. Null for a negative length.',
  example: { formula: "substring('Élan', 2, 2)", gives: 'la' },
  arity: [2, 3],
  check: (args) =>
    needsText('substring', args.slice(0, 1)) ??
    needsNumber('substring', args.slice(1)) ?? {
      type: TEXT,
      evaluate: (text, start, length) => {
        if (typeof length === 'number' && length < 0) return null;
        const characters = [...(text as string)];
        const from = Number(start) - 1;
        const to = length === undefined ? characters.length : from + Number(length);
        return characters.slice(Math.max(0, from), Math.max(0, to)).join('');
      },
    },
};
