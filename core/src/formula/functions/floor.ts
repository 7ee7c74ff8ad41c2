import type { ScalarFunction } from './definition.ts';
import { asExact, needsNumber } from './definition.ts';
import {
  divideTowardZero,
  DOUBLE,
  INTEGER,
  powerOfTen,
  remainder,
  scaleOf,
  subtract,
} from '../../values/index.ts';

export const floor: ScalarFunction = {
  name: 'floor',
  parameters: 'x',
  documentation: 'The greatest whole number not above x.',
  example: { formula: 'floor(-2.5)', gives: -3 },
  arity: [1, 1],
  check: (args) => {
    const wrong = needsNumber('floor', args);
    if (wrong) return wrong;
    const type = args[0]!.type ?? INTEGER;
    if (type.kind === 'double') return { type: DOUBLE, evaluate: (x) => Math.floor(x as number) };
    const unit = powerOfTen(scaleOf(type));
    return {
      type: INTEGER,
      evaluate: (x) => {
        const whole = divideTowardZero(asExact(x!), unit);
        return asExact(x!) < 0 && remainder(asExact(x!), unit) !== 0 ? subtract(whole, 1) : whole;
      },
    };
  },
};
