import type { Codes } from '../../columns/index.ts';

/**
 * A scan as data: what is read of each base row, how that makes a group or leaves the row out, and what is
 * added up per group. Two executors run it: `runPlain` and `runCompiled`.
 */
export interface ScanPlan {
  readonly rowCount: number;
  /** Arrays with an entry for each base row: codes of columns, and row references along relationships. */
  readonly inputs: readonly Codes[];
  readonly probes: readonly Probe[];
  /** Combinations of members that the probes can make, 1 without axes. */
  readonly size: number;
  readonly fields: readonly Field[];
}

/** What one input has to do with the group of a row. */
export interface Probe {
  readonly input: number;
  /**
   * By what the input holds: what it adds, at most `width` - 1, or -1 where the row is left out. Without it
   * the input itself is added.
   */
  readonly adds?: Int32Array;
  readonly width: number;
  /** The group's number is the sum of what the probes add times their strides. */
  readonly stride: number;
  /** The share of entries in `adds` that are not -1. */
  readonly passes: number;
}

/**
 * A value per row, null where any of its operands is. Whole numbers keep within 2^62, doubles become null
 * where they leave the finite.
 */
export type Expression =
  /**
   * `values` by what the input holds, `NULL_INTEGER` or NaN for null; without them the input plus `first`, 0
   * being null.
   */
  | {
      readonly kind: 'integer';
      readonly input: number;
      readonly values?: BigInt64Array;
      readonly first: number;
      readonly nullable: boolean;
    }
  | {
      readonly kind: 'double';
      readonly input: number;
      readonly values: Float64Array;
      readonly nullable: boolean;
    }
  | { readonly kind: 'integer-constant'; readonly value: bigint }
  | { readonly kind: 'double-constant'; readonly value: number }
  | {
      readonly kind: 'integer-operation' | 'double-operation';
      readonly operator: '+' | '-' | '*';
      readonly left: Expression;
      readonly right: Expression;
    }
  | { readonly kind: 'quotient'; readonly left: Expression; readonly right: Expression }
  /** A scaled whole number within 2^53 as a double. */
  | { readonly kind: 'to-double'; readonly operand: Expression; readonly divisor: number };

export const NULL_INTEGER = -(2n ** 63n);

/** What is kept per group, over the rows that `only` lets through. */
export type Field = { readonly only?: { readonly input: number; readonly passes: Uint8Array } } & (
  | { readonly kind: 'rows' }
  /** Rows whose input is not null: `filled` by what the input holds, or not 0. */
  | { readonly kind: 'filled'; readonly input: number; readonly filled?: Uint8Array }
  | { readonly kind: 'sum'; readonly of: Expression }
  /**
   * The least or greatest code that is not 0, and how many different ones there are; `codes` by what the
   * input holds.
   */
  | { readonly kind: 'least' | 'greatest'; readonly input: number; readonly codes?: Codes }
  | { readonly kind: 'distinct'; readonly input: number; readonly codes?: Codes; readonly width: number }
);

/** What a scan found: groups by number, ascending, and for each field one entry per group. */
export interface ScanResult {
  /** Numbers of the groups that have rows. */
  readonly groups: Float64Array;
  readonly rows: Float64Array;
  readonly fields: readonly FieldResult[];
}

export type FieldResult =
  | { readonly kind: 'counts'; readonly counts: Float64Array }
  | { readonly kind: 'codes'; readonly codes: Uint32Array }
  | { readonly kind: 'sums'; readonly counts: Float64Array; readonly sums: BigInt64Array | Float64Array };

export const isDouble = (e: Expression): boolean =>
  e.kind === 'double' ||
  e.kind === 'double-constant' ||
  e.kind === 'double-operation' ||
  e.kind === 'quotient' ||
  e.kind === 'to-double';
