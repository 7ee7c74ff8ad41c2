import type { ScalarFunction } from './definition.ts';
import { needsText, sqlCall } from './definition.ts';
import { TEXT } from '../../values/index.ts';

export const replace: ScalarFunction = {
  name: 'replace',
  parameters: 'x, part, other',
  documentation: 'The text with every part replaced by other; unchanged where part is empty.',
  example: { formula: "replace('a b c', ' ', '_')", gives: 'a_b_c' },
  arity: [3, 3],
  check: (args) =>
    needsText('replace', args) ?? {
      type: TEXT,
      evaluate: (text, part, other) =>
        part === '' ? text! : (text as string).split(part as string).join(other as string),
    },
  sql: sqlCall('replace'),
};
