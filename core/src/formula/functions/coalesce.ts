import type { ScalarFunction } from './definition.ts';
import { commonType, typeText, sqlCall } from './definition.ts';
import type { DataType } from '../../values/index.ts';
import { TEXT } from '../../values/index.ts';

export const coalesce: ScalarFunction = {
  name: 'coalesce',
  parameters: 'x, y, …',
  documentation: 'The first argument that is not null.',
  example: { formula: 'coalesce(null, 2, 3)', gives: 2 },
  takesNulls: true,
  arity: [1, 50],
  check: (args) => {
    let type: DataType | null = null;
    for (const arg of args) {
      const common = commonType(type, arg.type);
      if (common === undefined)
        return `the arguments of coalesce are of different types: ${args.map(typeText).join(', ')}`;
      type = common;
    }
    const result = type ?? TEXT;
    return {
      type: result,
      convert: args.map(() => result),
      evaluate: (...values) => values.find((value) => value !== null) ?? null,
    };
  },
  sql: sqlCall('coalesce'),
};
