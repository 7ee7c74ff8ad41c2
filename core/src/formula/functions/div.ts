import type { ScalarFunction } from './definition.ts';
import { asExact, commonType, needsNumber } from './definition.ts';
import { divideTowardZero, DOUBLE, INTEGER } from '../../values/index.ts';

export const div: ScalarFunction = {
  name: 'div',
  parameters: 'a, b',
  documentation: 'How often b goes wholly into a, toward zero; null where b is zero.',
  example: { formula: 'div(-7, 2)', gives: -3 },
  arity: [2, 2],
  check: (args) => {
    const wrong = needsNumber('div', args);
    if (wrong) return wrong;
    const type = commonType(args[0]!.type, args[1]!.type) ?? INTEGER;
    if (type.kind === 'double') {
      return {
        type: DOUBLE,
        convert: [DOUBLE, DOUBLE],
        evaluate: (a, b) => (b === 0 ? null : Math.trunc((a as number) / (b as number)) + 0),
      };
    }
    return {
      type: INTEGER,
      convert: [type, type],
      evaluate: (a, b) => (asExact(b!) === 0 ? null : divideTowardZero(asExact(a!), asExact(b!))),
    };
  },
};
