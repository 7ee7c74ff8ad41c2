import type { ScalarFunction } from './definition.ts';
import { commonType, typeText } from './definition.ts';
import type { DataType, Value } from '../../values/index.ts';
import { compareValues, TEXT } from '../../values/index.ts';

export const greatest: ScalarFunction = {
  name: 'greatest',
  parameters: 'x, y, …',
  documentation: 'The greatest of the arguments; null when one of them is null.',
  example: { formula: 'greatest(2, 7, 3)', gives: 7 },
  arity: [1, 50],
  check: (args) => {
    let type: DataType | null = null;
    for (const arg of args) {
      const common = commonType(type, arg.type);
      if (common === undefined)
        return `the arguments of greatest are of different types: ${args.map(typeText).join(', ')}`;
      type = common;
    }
    const result = type ?? TEXT;
    return {
      type: result,
      convert: args.map(() => result),
      evaluate: (...values: Value[]) => values.reduce((a, b) => (compareValues(b, a) > 0 ? b : a)),
    };
  },
};
