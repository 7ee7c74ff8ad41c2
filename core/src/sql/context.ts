import type { DataType } from '../values/index.ts';
import type { ColumnName } from '../formula/index.ts';
import type { Hierarchy } from '../model/index.ts';
import type {
  ConditionShape,
  ContextOf,
  FormulaCondition,
  MembersCondition,
  StepOf,
} from '../query/index.ts';

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
  /** What members are ordered by, of the member's first row, where it is not what is shown. */
  readonly orderBy?: ColumnName;
  /** Its members say how rows meet the table, not what they find there. */
  readonly meets?: true;
  /** Its members are what a top leaves over of another axis: the group's number for each of its members. */
  readonly rest?: { readonly of: SqlAxis; readonly relation: string };
  /** Several columns that tell members apart together, instead of `key`. */
  readonly composite?: { readonly keys: readonly ColumnName[]; readonly shown: ColumnName };
}

export type SqlCondition =
  | FormulaCondition
  | MembersCondition
  /** Days as a relation: `day`, and a column for each axis by whose members the days differ. */
  | (ConditionShape & {
      readonly kind: 'days';
      readonly calendar: string;
      readonly relation: string;
      readonly keys: readonly SqlAxis[];
    });

export type SqlStep = StepOf<SqlAxis, SqlCondition>;
export type SqlContext = ContextOf<SqlAxis, SqlCondition>;
