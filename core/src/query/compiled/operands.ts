import type { Exact } from '../../values/index.ts';
import { isExact, powerOfTen, scaleOf } from '../../values/index.ts';
import type { Codes, Column, Domain } from '../../columns/index.ts';
import type { Typed } from '../../formula/index.ts';
import type { Expression } from './plan.ts';
import { NULL_INTEGER } from './plan.ts';

/** Sums of less than this cannot leave 64 bits. */
const MOST_MAGNITUDE = 2 ** 62;

/**
 * Where a column's codes come from: an input that holds them, or one that leads to rows of the column's
 * table.
 */
export interface ColumnInput {
  readonly column: Column;
  readonly input: number;
  /** Set where the input leads to rows: makes a table by row + 1 one by what the input holds. */
  readonly through?: Through;
}

export type Through = <T extends Uint8Array | Uint32Array | Int32Array | BigInt64Array | Float64Array>(
  byRow: T,
) => T;

/** An expression and the greatest magnitude that its whole numbers, or those in it, can have. */
export interface Bounded {
  readonly expression: Expression;
  readonly most: number;
}

/** Numbers of a formula as a scan's expression; undefined for what a scan does not compute. */
export function expressionOf(
  typed: Typed,
  inputOf: (table: string, column: string) => ColumnInput,
): Bounded | undefined {
  const within = (made: Bounded | undefined) => (made && made.most < MOST_MAGNITUDE ? made : undefined);
  switch (typed.kind) {
    case 'constant':
      return within(constantOf(typed));
    case 'column':
      return within(operandOf(inputOf(typed.table, typed.column)));
    case 'convert': {
      const operand = expressionOf(typed.operand, inputOf);
      return operand && typed.operand.type && typed.type
        ? within(converted(operand, typed.operand.type, typed.type))
        : undefined;
    }
    case 'apply': {
      const args = typed.args.map((arg) => expressionOf(arg, inputOf));
      if (typed.type === null || args.some((arg) => arg === undefined)) return undefined;
      return within(applied(typed.name, typed.type, args as Bounded[]));
    }
    default:
      return undefined;
  }
}

type NumberType = NonNullable<Typed['type']>;

function constantOf({ value, type }: Extract<Typed, { kind: 'constant' }>): Bounded | undefined {
  if (value === null || type === null) return undefined;
  if (isExact(type))
    return {
      expression: { kind: 'integer-constant', value: BigInt(value as Exact) },
      most: Math.abs(Number(value)),
    };
  return type.kind === 'double'
    ? { expression: { kind: 'double-constant', value: value as number }, most: 0 }
    : undefined;
}

function converted(operand: Bounded, from: NumberType, to: NumberType): Bounded | undefined {
  if (to.kind === 'double') {
    if (from.kind === 'double') return operand;
    if (!isExact(from) || operand.most > Number.MAX_SAFE_INTEGER || scaleOf(from) > 22) return undefined;
    return {
      expression: { kind: 'to-double', operand: operand.expression, divisor: 10 ** scaleOf(from) },
      most: 0,
    };
  }
  if (!isExact(from) || !isExact(to) || scaleOf(to) < scaleOf(from)) return undefined;
  const factor = powerOfTen(scaleOf(to) - scaleOf(from));
  if (factor === 1) return operand;
  const right: Expression = { kind: 'integer-constant', value: BigInt(factor) };
  return {
    expression: { kind: 'integer-operation', operator: '*', left: operand.expression, right },
    most: operand.most * Number(factor),
  };
}

function applied(name: string, type: NumberType, [a, b]: readonly Bounded[]): Bounded | undefined {
  if (name === 'plus') return a;
  const zero = (): Expression =>
    isExact(type) ? { kind: 'integer-constant', value: 0n } : { kind: 'double-constant', value: -0 };
  if (name === 'negate')
    return isExact(type)
      ? {
          expression: { kind: 'integer-operation', operator: '-', left: zero(), right: a!.expression },
          most: a!.most,
        }
      : {
          expression: { kind: 'double-operation', operator: '-', left: zero(), right: a!.expression },
          most: 0,
        };
  if (name === '/')
    return { expression: { kind: 'quotient', left: a!.expression, right: b!.expression }, most: 0 };
  if (name !== '+' && name !== '-' && name !== '*') return undefined;
  const sides = { operator: name, left: a!.expression, right: b!.expression } as const;
  if (type.kind === 'double') return { expression: { kind: 'double-operation', ...sides }, most: 0 };
  if (!isExact(type)) return undefined;
  return {
    expression: { kind: 'integer-operation', ...sides },
    most: name === '*' ? a!.most * b!.most : a!.most + b!.most,
  };
}

/** The values of a column as an operand; undefined for a column that holds no numbers. */
function operandOf({ column, input, through }: ColumnInput): Bounded | undefined {
  const { domain, type } = column;
  const nullable = through !== undefined || column.nulls > 0;
  if (type.kind === 'double') {
    const values = kept(domain, doublesByCode);
    return {
      expression: {
        kind: 'double',
        input,
        values: through ? through(byRow(values, column.codes, NaN)) : values,
        nullable,
      },
      most: 0,
    };
  }
  if (!isExact(type)) return undefined;
  const most = magnitude(domain);
  if (most >= MOST_MAGNITUDE) return undefined;
  if (domain.kind === 'range' && !through)
    return { expression: { kind: 'integer', input, first: domain.first, nullable }, most };
  const values = kept(domain, integersByCode);
  return {
    expression: {
      kind: 'integer',
      input,
      values: through ? through(byRow(values, column.codes, NULL_INTEGER)) : values,
      first: 0,
      nullable,
    },
    most,
  };
}

/** The greatest magnitude of a column's whole numbers. */
function magnitude(domain: Domain): number {
  if (domain.size === 0) return 0;
  const [first, last] =
    domain.kind === 'range'
      ? [domain.first, domain.first + domain.size - 1]
      : [Number(domain.values[0]), Number(domain.values[domain.size - 1])];
  return Math.max(Math.abs(first), Math.abs(last));
}

function byRow<T extends BigInt64Array | Float64Array>(values: T, codes: Codes, none: T[number]): T {
  const made = (
    values instanceof Float64Array ? new Float64Array(codes.length + 1) : new BigInt64Array(codes.length + 1)
  ) as T;
  made[0] = none;
  for (let row = 0; row < codes.length; row++) made[row + 1] = values[codes[row]!]!;
  return made;
}

/** Tables of values are made once per domain: an average and a sum of one column read the same. */
const tables = new WeakMap<Domain, BigInt64Array | Float64Array>();

function kept<T extends BigInt64Array | Float64Array>(domain: Domain, make: (domain: Domain) => T): T {
  let table = tables.get(domain) as T | undefined;
  if (!table) tables.set(domain, (table = make(domain)));
  return table;
}

function doublesByCode(domain: Domain): Float64Array {
  const values = new Float64Array(domain.size + 1);
  values[0] = NaN;
  for (let code = 1; code <= domain.size; code++)
    values[code] = domain.kind === 'range' ? domain.first + code - 1 : Number(domain.values[code - 1]);
  return values;
}

function integersByCode(domain: Domain): BigInt64Array {
  const values = new BigInt64Array(domain.size + 1);
  // Making a bigint for each value would take longer than the scan.
  const words = new Int32Array(values.buffer);
  for (let code = 1; code <= domain.size; code++) {
    const value = domain.kind === 'range' ? domain.first + code - 1 : domain.values[code - 1]!;
    if (typeof value === 'number') {
      words[2 * code] = value % 2 ** 32;
      words[2 * code + 1] = Math.floor(value / 2 ** 32);
    } else values[code] = value as bigint;
  }
  values[0] = NULL_INTEGER;
  return values;
}
