import type { DataType } from '../values/index.ts';
import {
  add,
  decimal,
  DOUBLE,
  INTEGER,
  isExact,
  multiply,
  negate,
  scaleOf,
  subtract,
  TEXT,
  wholeOf,
} from '../values/index.ts';
import type { Application, Argument } from './functions/index.ts';
import { asExact, commonType, needsNumber, needsText, typeText } from './functions/definition.ts';
import { modulo } from './functions/mod.ts';

export type ArithmeticOperator = '+' | '-' | '*' | '/' | '%' | '||' | 'negate' | 'plus';

/** What an operator makes of its operands' types; a message where they do not fit. */
export function arithmetic(operator: ArithmeticOperator, args: readonly Argument[]): Application | string {
  if (operator === '||') return concatenation(args);
  const moment = args.find((a) => a.type?.kind === 'date' || a.type?.kind === 'timestamp');
  if (moment)
    return `${typeText(moment)}: write date_add(x, n, day) or date_diff(from, to, day) instead of ${operator}`;
  const wrong = needsNumber(operator === 'negate' || operator === 'plus' ? 'a sign' : operator, args);
  if (wrong) return wrong;
  const [a, b] = [args[0]!.type ?? INTEGER, args[1]?.type ?? INTEGER];
  switch (operator) {
    case 'plus':
      return { type: a, evaluate: (x) => x! };
    case 'negate':
      return { type: a, evaluate: (x) => negate(asExact(x!)) };
    case '%':
      return modulo('%', args);
    case '/':
      return {
        type: DOUBLE,
        convert: [DOUBLE, DOUBLE],
        evaluate: (x, y) => (y === 0 ? null : (x as number) / (y as number)),
      };
    case '*':
      return isExact(a) && isExact(b)
        ? { type: product(a, b), evaluate: (x, y) => multiply(asExact(x!), asExact(y!)) }
        : {
            type: DOUBLE,
            convert: [DOUBLE, DOUBLE],
            evaluate: (x, y) => finite((x as number) * (y as number)),
          };
    case '+':
    case '-': {
      const type = commonType(a, b)!;
      if (isExact(type))
        return {
          type,
          convert: [type, type],
          evaluate:
            operator === '+'
              ? (x, y) => add(asExact(x!), asExact(y!))
              : (x, y) => subtract(asExact(x!), asExact(y!)),
        };
      return {
        type,
        convert: [type, type],
        evaluate:
          operator === '+'
            ? (x, y) => finite((x as number) + (y as number))
            : (x, y) => finite((x as number) - (y as number)),
      };
    }
  }
}

const finite = (x: number): number | null => (Number.isFinite(x) ? x : null);

const product = (a: DataType, b: DataType): DataType => {
  const scale = scaleOf(a) + scaleOf(b);
  return scale === 0 ? INTEGER : decimal(wholeOf(a) + wholeOf(b) + scale, scale);
};

function concatenation(args: readonly Argument[]): Application | string {
  return (
    needsText('||', args) ?? {
      type: TEXT,
      convert: [TEXT, TEXT],
      evaluate: (x, y) => (x as string) + (y as string),
    }
  );
}
