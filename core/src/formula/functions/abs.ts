import type { ScalarFunction } from './definition.ts';
import { asExact, needsNumber, sqlCall } from './definition.ts';
import { INTEGER, negate } from '../../values/index.ts';

export const abs: ScalarFunction = {
  name: 'abs',
  parameters: 'x',
  documentation: 'The value without its sign.',
  example: { formula: 'abs(-2.50)', gives: '2.50' },
  arity: [1, 1],
  check: (args) =>
    needsNumber('abs', args) ?? {
      type: args[0]!.type ?? INTEGER,
      evaluate: (x) => (asExact(x!) < 0 ? negate(asExact(x!)) : x!),
    },
  sql: sqlCall('abs'),
};
