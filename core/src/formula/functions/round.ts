import type { ScalarFunction } from './definition.ts';
import { asExact, needsNumber } from './definition.ts';
import { decimal, INTEGER, rescale, roundDouble, scaleOf } from '../../values/index.ts';

export const round: ScalarFunction = {
  name: 'round',
  parameters: 'x, n',
  documentation:
    'x rounded to n digits after the point (0 if left out), half away from zero; exact for integers and decimals.',
  example: { formula: 'round(2.345, 2)', gives: '2.35' },
  arity: [1, 2],
  check: (args) => {
    const wrong = needsNumber('round', args);
    if (wrong) return wrong;
    const places = args[1] ? args[1].constant : 0;
    if (typeof places !== 'number' || !Number.isInteger(places) || Math.abs(places) > 30)
      return 'the second argument of round is a whole number written out, such as 2';
    const type = args[0]!.type ?? INTEGER;
    if (type.kind === 'double') return { type, evaluate: (x) => roundDouble(x as number, places) };
    const [from, to] = [scaleOf(type), Math.min(places, scaleOf(type))];
    const result = to > 0 ? decimal(type.kind === 'decimal' ? type.precision : 38, to) : INTEGER;
    return {
      type: result,
      evaluate: (x) =>
        to >= 0 ? rescale(asExact(x!), from, to) : rescale(rescale(asExact(x!), from, to), to, 0),
    };
  },
};
