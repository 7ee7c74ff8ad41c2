import type { Argument, ScalarFunction } from './definition.ts';
import { asExact, commonType, needsNumber } from './definition.ts';
import { DOUBLE, INTEGER, remainder } from '../../values/index.ts';

/** Shared by `mod` and `%`. */
export const modulo = (name: string, args: readonly Argument[]): ReturnType<ScalarFunction['check']> => {
  const wrong = needsNumber(name, args);
  if (wrong) return wrong;
  const type = commonType(args[0]!.type, args[1]!.type) ?? INTEGER;
  if (type.kind === 'double')
    return {
      type: DOUBLE,
      convert: [DOUBLE, DOUBLE],
      evaluate: (a, b) => (b === 0 ? null : (a as number) % (b as number)),
    };
  return {
    type,
    convert: [type, type],
    evaluate: (a, b) => (asExact(b!) === 0 ? null : remainder(asExact(a!), asExact(b!))),
  };
};

export const mod: ScalarFunction = {
  name: 'mod',
  parameters: 'a, b',
  documentation: 'The rest of a divided by b, with the sign of a; null where b is zero.',
  example: { formula: 'mod(-7, 3)', gives: -1 },
  arity: [2, 2],
  check: (args) => modulo('mod', args),
};
