import type { ScalarFunction } from './definition.ts';
import { asExact, needsNumber } from './definition.ts';
import { INTEGER } from '../../values/index.ts';

export const sign: ScalarFunction = {
  name: 'sign',
  parameters: 'x',
  documentation: '-1, 0 or 1.',
  example: { formula: 'sign(-0.5)', gives: -1 },
  arity: [1, 1],
  check: (args) =>
    needsNumber('sign', args) ?? {
      type: INTEGER,
      evaluate: (x) => (asExact(x!) > 0 ? 1 : asExact(x!) < 0 ? -1 : 0),
    },
};
