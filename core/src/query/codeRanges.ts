import type { Column } from '../columns/index.ts';
import { valueOfCode } from '../columns/index.ts';
import type { Typed } from '../formula/index.ts';
import { compileScalar, operandsOf } from '../formula/index.ts';

type Compare = Extract<Typed, { kind: 'compare' }>;
type Operator = Compare['operator'];

const OPPOSITE: Readonly<Record<Operator, Operator>> = {
  '=': '<>',
  '<>': '=',
  '<': '>=',
  '<=': '>',
  '>': '<=',
  '>=': '<',
};
const TURNED: Readonly<Record<Operator, Operator>> = {
  '=': '=',
  '<>': '<>',
  '<': '>',
  '<=': '>=',
  '>': '<',
  '>=': '<=',
};

/**
 * For which codes of a column (0 is null) a condition on it alone is true: 1 by code. Codes ascend like
 * values, so that a comparison with a constant is a range of codes, which is found by halving; no value but
 * those that are met on the way is decoded. Undefined for a condition that is not made of comparisons,
 * `in`, `is null`, `and`, `or` and `not`.
 */
export function codesWhere(column: Column, typed: Typed): Uint8Array | undefined {
  return isRanged(typed) ? where(column, typed, false) : undefined;
}

const isConstant = (typed: Typed): boolean =>
  typed.kind !== 'aggregate' && typed.kind !== 'column' && operandsOf(typed).every(isConstant);

/** The column itself, or its numbers in a wider type, which keeps their order. */
const isBare = (typed: Typed): boolean =>
  typed.kind === 'column' || (typed.kind === 'convert' && !typed.cast && isBare(typed.operand));

function isRanged(typed: Typed): boolean {
  switch (typed.kind) {
    case 'logic':
      return isRanged(typed.left) && isRanged(typed.right);
    case 'not':
      return isRanged(typed.operand);
    case 'compare':
      return (
        (isBare(typed.left) && isConstant(typed.right)) || (isConstant(typed.left) && isBare(typed.right))
      );
    case 'in':
      return isBare(typed.operand) && typed.list.every(isConstant);
    case 'is-null':
      return isBare(typed.operand);
    default:
      return false;
  }
}

/** Where a condition is true, or where it is false if `negated`: null is neither. */
function where(column: Column, typed: Typed, negated: boolean): Uint8Array {
  switch (typed.kind) {
    case 'logic': {
      const left = where(column, typed.left, negated);
      const right = where(column, typed.right, negated);
      // Not (a and b) is not a or not b, and the other way round; with null too.
      const both = (typed.operator === 'and') !== negated;
      for (let code = 0; code < left.length; code++)
        left[code] = both ? left[code]! & right[code]! : left[code]! | right[code]!;
      return left;
    }
    case 'not':
      return where(column, typed.operand, !negated);
    case 'is-null': {
      const isNull = typed.not === negated;
      const mask = new Uint8Array(column.domain.size + 1).fill(isNull ? 0 : 1);
      mask[0] = isNull ? 1 : 0;
      return mask;
    }
    case 'in':
      return inList(column, typed, typed.not !== negated);
    case 'compare':
      return compared(column, typed, negated);
    default:
      throw new TypeError(`${typed.kind} is no range of codes`);
  }
}

function compared(column: Column, typed: Compare, negated: boolean): Uint8Array {
  const turned = isBare(typed.left)
    ? typed
    : { ...typed, left: typed.right, right: typed.left, operator: TURNED[typed.operator] };
  const operator = negated ? OPPOSITE[turned.operator] : turned.operator;
  const mask = new Uint8Array(column.domain.size + 1);
  const [from, to] = rangeOf(column, { ...turned, operator: operator === '<>' ? '=' : operator });
  if (operator !== '<>') return mask.fill(1, from, to);
  // Null is compared with nothing: then no code passes, and none fails.
  if (from < 0) return mask;
  return mask.fill(1, 1, from).fill(1, to);
}

/** `x in (…)`: one of the comparisons is true. `x not in (…)`: none is, and none is null. */
function inList(column: Column, typed: Extract<Typed, { kind: 'in' }>, isNot: boolean): Uint8Array {
  const mask = new Uint8Array(column.domain.size + 1);
  let hasNull = false;
  for (const right of typed.list) {
    const [from, to] = rangeOf(column, {
      kind: 'compare',
      operator: '=',
      left: typed.operand,
      right,
      type: typed.type,
      span: typed.span,
    } as Compare);
    if (from < 0) hasNull = true;
    else mask.fill(1, from, to);
  }
  if (!isNot) return mask;
  if (hasNull) return mask.fill(0);
  for (let code = 1; code < mask.length; code++) mask[code] = 1 - mask[code]!;
  return mask;
}

/**
 * The codes from `from` to before `to` for which a comparison (the column at its left) is true; -1 and -1
 * where its other side is null. Empty ranges lie where they would begin.
 */
function rangeOf(column: Column, typed: Compare): readonly [number, number] {
  const { domain } = column;
  const holds = (operator: Operator) => {
    const passes = compileScalar({ ...typed, operator }, () => (code) => valueOfCode(domain, code));
    return (code: number) => passes(code) === true;
  };
  const end = domain.size + 1;
  // A value that is not null compares with a constant that is not null as true or false.
  if (domain.size > 0) {
    const isLess = compileScalar({ ...typed, operator: '<=' }, () => (code) => valueOfCode(domain, code));
    if (isLess(1) === null) return [-1, -1];
  }
  switch (typed.operator) {
    case '<':
    case '<=':
      return [1, firstNot(holds(typed.operator), end)];
    case '>':
    case '>=':
      return [firstNot(negate(holds(typed.operator)), end), end];
    default: {
      const from = firstNot(holds('<'), end);
      return [from, firstNot(holds('<='), end)];
    }
  }
}

const negate = (passes: (code: number) => boolean) => (code: number) => !passes(code);

/** The first code for which what holds for all codes before it does not; `end` where it holds for all. */
function firstNot(holds: (code: number) => boolean, end: number): number {
  let [low, high] = [1, end];
  while (low < high) {
    const middle = (low + high) >>> 1;
    if (holds(middle)) low = middle + 1;
    else high = middle;
  }
  return low;
}

/** Conditions that are all true where this one is. */
export function conjuncts(typed: Typed): Typed[] {
  return typed.kind === 'logic' && typed.operator === 'and'
    ? [...conjuncts(typed.left), ...conjuncts(typed.right)]
    : [typed];
}
