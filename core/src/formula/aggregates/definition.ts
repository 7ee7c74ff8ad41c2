import type { DataType } from '../../values/index.ts';
import { decimal, DOUBLE, INTEGER, isNumeric, TEXT } from '../../values/index.ts';
import type { AggregateName } from '../tree.ts';

/** An aggregate of the formula language: one file each, listed in `index.ts`. */
export interface Aggregate {
  readonly name: AggregateName;
  /** For help, such as `x by y`. */
  readonly parameters: string;
  readonly documentation: string;
  /** A formula and its value as JSON over the sample library of `words.test.ts`, which evaluates it. */
  readonly example: { readonly formula: string; readonly gives: unknown };
  /**
   * The type that it makes of its argument's (null for the literal null); undefined where it needs a number.
   */
  result(argument: DataType | null): DataType | undefined;
}

export const ofItsArgument = (argument: DataType | null): DataType => argument ?? TEXT;

export const asDouble = (argument: DataType | null): DataType | undefined =>
  argument === null || isNumeric(argument) ? DOUBLE : undefined;

/** Sums of decimals have room for as many digits as there can be. */
export const asSum = (argument: DataType | null): DataType | undefined => {
  if (argument !== null && !isNumeric(argument)) return undefined;
  return argument?.kind === 'decimal' ? decimal(38, argument.scale) : (argument ?? INTEGER);
};
