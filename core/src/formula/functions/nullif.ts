import type { ScalarFunction } from './definition.ts';
import { commonType, typeText, sqlCall } from './definition.ts';
import { compareValues, TEXT } from '../../values/index.ts';

export const nullif: ScalarFunction = {
  name: 'nullif',
  parameters: 'x, y',
  documentation: 'Null where x equals y, else x.',
  example: { formula: 'nullif(3, 3)', gives: null },
  takesNulls: true,
  arity: [2, 2],
  check: (args) => {
    const common = commonType(args[0]!.type, args[1]!.type);
    if (common === undefined) return `nullif compares values of one type: ${args.map(typeText).join(', ')}`;
    const type = common ?? TEXT;
    return {
      type,
      convert: [type, type],
      evaluate: (x, y) => (x !== null && y !== null && compareValues(x!, y!) === 0 ? null : x!),
    };
  },
  sql: sqlCall('nullif'),
};
