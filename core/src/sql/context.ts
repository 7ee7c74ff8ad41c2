import type { DataType } from '../values/index.ts';
import type { Hierarchy } from '../model/index.ts';
import type { ColumnName, Typed } from '../formula/index.ts';
import type { ConditionShape } from '../query/index.ts';

/** An axis of a question; `id` is the name of its column in every relation. */
export interface SqlAxis {
  readonly id: string;
  readonly name: string;
  readonly type: DataType;
  readonly table: string;
  /** As reach sees it: missing for a depth of a parent-child hierarchy. */
  readonly column?: string;
  /** The column that tells members apart. */
  readonly key: string;
  /** What is shown instead of the key, of the member's first row. */
  readonly label?: string;
  readonly tree?: { readonly hierarchy: Hierarchy; readonly depth: number };
}

export type SqlCondition = ConditionShape &
  (
    | { readonly kind: 'formula'; readonly typed: Typed }
    /** Days as a relation: `day`, and a column for each axis by whose members the days differ. */
    | { readonly kind: 'days'; readonly calendar: string; readonly relation: string; readonly keys: readonly SqlAxis[] }
  );

export type SqlStep =
  | { readonly kind: 'condition'; readonly condition: SqlCondition }
  | {
      readonly kind: 'at';
      readonly which: 'first' | 'last';
      readonly column: ColumnName;
      readonly per: readonly ColumnName[];
      /** The axes that the context had: those that a `per` within adds later do not part its rows. */
      readonly axes: readonly SqlAxis[];
    };

export interface SqlContext {
  readonly axes: readonly SqlAxis[];
  readonly steps: readonly SqlStep[];
  readonly via: readonly string[];
  readonly repeat: boolean;
}
