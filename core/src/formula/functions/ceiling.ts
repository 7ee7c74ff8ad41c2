import type { ScalarFunction } from './definition.ts';
import { asExact, needsNumber } from './definition.ts';
import {
  add,
  divideTowardZero,
  DOUBLE,
  INTEGER,
  powerOfTen,
  remainder,
  scaleOf,
} from '../../values/index.ts';

export const ceiling: ScalarFunction = {
  name: 'ceiling',
  parameters: 'x',
  documentation: 'The least whole number not below x.',
  example: { formula: 'ceiling(2.1)', gives: 3 },
  arity: [1, 1],
  check: (args) => {
    const wrong = needsNumber('ceiling', args);
    if (wrong) return wrong;
    const type = args[0]!.type ?? INTEGER;
    if (type.kind === 'double') return { type: DOUBLE, evaluate: (x) => Math.ceil(x as number) + 0 };
    const unit = powerOfTen(scaleOf(type));
    return {
      type: INTEGER,
      evaluate: (x) => {
        const whole = divideTowardZero(asExact(x!), unit);
        return asExact(x!) > 0 && remainder(asExact(x!), unit) !== 0 ? add(whole, 1) : whole;
      },
    };
  },
};
