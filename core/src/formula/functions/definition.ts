import type { DataType, Exact, Value } from '../../values/index.ts';
import { DOUBLE, INTEGER, decimal, formatType, isExact, isNumeric, scaleOf } from '../../values/index.ts';

/** An argument as a function's check sees it. */
export interface Argument {
  /** null for the literal null, which fits anywhere. */
  readonly type: DataType | null;
  /** The value of a literal. */
  readonly constant?: Value;
  /** How messages call it: as written in the formula. */
  readonly text: string;
}

/** What a function makes of its arguments' types. */
export interface Application {
  readonly type: DataType;
  /** Types that arguments are converted to before the call; undefined leaves one as it is. */
  readonly convert?: readonly (DataType | undefined)[];
  /** Called with converted values. Unless the function takes nulls, it is called only when none is null. */
  evaluate(...values: Value[]): Value;
}

/** A function of the formula language: one file each, listed in `index.ts`. */
export interface ScalarFunction {
  readonly name: string;
  /** For help, such as `x, n`. */
  readonly parameters: string;
  readonly documentation: string;
  /** A formula over constants and its value as JSON; a test evaluates it. */
  readonly example: { readonly formula: string; readonly gives: unknown };
  /** The argument that is a word (a unit or a part), not a value. */
  readonly word?: { readonly at: number; readonly known: readonly string[] };
  readonly takesNulls?: boolean;
  /** Fewest and most arguments, a word included. */
  readonly arity: readonly [number, number];
  /**
   * The application for these argument types (words arrive as text constants), or a message saying what does
   * not fit.
   */
  check(args: readonly Argument[]): Application | string;
  /**
   * The call in SQL, over canonical values, where databases say it alike; a dialect has a case of its own
   * where it differs. Null where an argument is null, as with `evaluate`.
   */
  sql?(...args: readonly string[]): string;
}

/** The call of a function that every database has, under the same name. */
export const sqlCall =
  (name: string) =>
  (...args: readonly string[]): string =>
    `${name}(${args.join(', ')})`;

const article = (type: DataType): string =>
  type.kind === 'integer' ? 'an integer' : `a ${formatType(type)}`;
export const typeText = (argument: Argument): string =>
  `${argument.text} is ${argument.type === null ? 'null' : argument.type.kind === 'text' ? 'text' : article(argument.type)}`;

export const needsNumber = (name: string, args: readonly Argument[]): string | undefined => {
  const wrong = args.find((a) => a.type !== null && !isNumeric(a.type));
  return wrong && `${name} needs a number, ${typeText(wrong)}`;
};

export const needsText = (name: string, args: readonly Argument[]): string | undefined => {
  const wrong = args.find((a) => a.type !== null && a.type.kind !== 'text');
  return wrong && `${name} needs text, ${typeText(wrong)}: write cast(${wrong.text} as text)`;
};

export const needsMoment = (name: string, args: readonly Argument[]): string | undefined => {
  const wrong = args.find((a) => a.type !== null && a.type.kind !== 'date' && a.type.kind !== 'timestamp');
  return wrong && `${name} needs a date or a timestamp, ${typeText(wrong)}`;
};

/** A function from doubles to a double; outside of its domain it gives null. */
export const doubleFunction = (
  name: string,
  parameters: string,
  documentation: string,
  example: ScalarFunction['example'],
  evaluate: (...numbers: number[]) => number,
): ScalarFunction => {
  const count = parameters.split(',').length;
  return {
    name,
    parameters,
    documentation,
    example,
    arity: [count, count],
    check: (args) =>
      needsNumber(name, args) ?? {
        type: DOUBLE,
        convert: args.map(() => DOUBLE),
        evaluate: (...values) => {
          const result = evaluate(...(values as number[]));
          return Number.isFinite(result) ? result : null;
        },
      },
  };
};

/** The type that two operands have in common, or undefined where there is none. */
export function commonType(a: DataType | null, b: DataType | null): DataType | null | undefined {
  if (a === null || b === null) return a ?? b;
  if (a.kind === b.kind && a.kind !== 'decimal') return a;
  if (isExact(a) && isExact(b))
    return exactType(wholeDigits(a), wholeDigits(b), Math.max(scaleOf(a), scaleOf(b)));
  return isNumeric(a) && isNumeric(b) ? DOUBLE : undefined;
}

const INTEGER_DIGITS = 19;
const wholeDigits = (type: DataType): number =>
  type.kind === 'decimal' ? type.precision - type.scale : INTEGER_DIGITS;
const exactType = (a: number, b: number, scale: number): DataType =>
  scale === 0 ? INTEGER : decimal(Math.max(a, b) + scale, scale);

/** A function from texts to a text, such as upper. */
export const textFunction = (
  name: string,
  documentation: string,
  example: ScalarFunction['example'],
  evaluate: (text: string) => string,
): ScalarFunction => ({
  name,
  parameters: 'x',
  documentation,
  example,
  arity: [1, 1],
  check: (args) =>
    needsText(name, args) ?? { type: { kind: 'text' }, evaluate: (text) => evaluate(text as string) },
  sql: sqlCall(name),
});

export const asExact = (value: Value): Exact => value as Exact;
