import type { Value } from '../values/index.ts';
import { compareValues } from '../values/index.ts';

/**
 * What the codes of a column mean. Code 0 is null; code k (from 1) is the k-th value in ascending order,
 * so codes compare like values.
 */
export type Domain = RangeDomain | ListDomain;

/** Consecutive whole numbers: code k is `first + k - 1`. Not every one of them need occur. */
export interface RangeDomain {
  readonly kind: 'range';
  readonly first: number;
  readonly size: number;
}

/** A dictionary: distinct values, ascending. */
export interface ListDomain {
  readonly kind: 'list';
  readonly values: ArrayLike<Value>;
  readonly size: number;
}

export const rangeDomain = (first: number, size: number): RangeDomain => ({ kind: 'range', first, size });
export const listDomain = (values: ArrayLike<Value>): ListDomain => ({
  kind: 'list',
  values,
  size: values.length,
});

/** The value of a code; 0 gives null. */
export function valueOfCode(domain: Domain, code: number): Value {
  if (code === 0) return null;
  return domain.kind === 'range' ? domain.first + code - 1 : domain.values[code - 1]!;
}

/** The code of a value, or -1 where the domain does not hold it; null gives 0. */
export function codeOfValue(domain: Domain, value: Value): number {
  if (value === null) return 0;
  if (domain.kind === 'range') {
    if (typeof value !== 'number' || !Number.isInteger(value)) return -1;
    const code = value - domain.first + 1;
    return code >= 1 && code <= domain.size ? code : -1;
  }
  let [low, high] = [0, domain.size - 1];
  while (low <= high) {
    const middle = (low + high) >> 1;
    const order = compareValues(domain.values[middle]!, value);
    if (order === 0) return middle + 1;
    if (order < 0) low = middle + 1;
    else high = middle - 1;
  }
  return -1;
}

/** Values by code, index 0 being null. Made once per column and kept by the caller. */
export function valuesByCode(domain: Domain): Value[] {
  const values: Value[] = new Array(domain.size + 1);
  values[0] = null;
  for (let code = 1; code <= domain.size; code++) values[code] = valueOfCode(domain, code);
  return values;
}
