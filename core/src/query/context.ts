import type { Value, DataType } from '../values/index.ts';
import type { Codes } from '../columns/index.ts';
import type { ColumnName, Typed, TypedAggregate, TypedTarget, TypedWords } from '../formula/index.ts';
import { columnsOf } from '../formula/index.ts';
import type { Measure } from '../model/index.ts';
import type { Reach } from '../relate/index.ts';

/** An axis of a question: each row of its table has one member, as a code (0 is the null member). */
export interface Axis {
  readonly name: string;
  readonly type: DataType;
  readonly table: string;
  /** Missing for a depth of a parent-child hierarchy: then it is a condition on the table alone. */
  readonly column?: string;
  readonly codes: Codes;
  /** Codes lie below this. */
  readonly width: number;
  /** What is shown for a code. */
  readonly show: (code: number) => Value;
  /** The values that tell a member apart, where it is not what is shown. */
  readonly keys?: (code: number) => readonly (null | boolean | number | string)[];
  /** What members are ordered by, where it is not what is shown. */
  readonly order?: (code: number) => Value;
  /**
   * Members that stand for their own rows among those of a lower depth, and are not listed: 1 by code. Totals
   * count them all the same.
   */
  readonly hidden?: Uint8Array;
  /** Its members say how rows meet the table, not what they find there; `codes` is empty. */
  readonly meets?: true;
}

/** A condition on the members of a column that also speaks of rows which have no member. */
export interface MembersCondition {
  readonly kind: 'members';
  readonly columns: readonly ColumnName[];
  readonly label?: ColumnName;
  /** What rows that found one have to be. */
  readonly typed: Typed;
  /** How else a row may meet the table: NO_REFERENCE, UNMATCHED. */
  readonly meets: readonly number[];
}

/** A condition on the values of columns. */
export interface FormulaCondition {
  readonly kind: 'formula';
  readonly columns: readonly ColumnName[];
  readonly label?: ColumnName;
  readonly typed: Typed;
}

/** A condition on columns, or on a set of days of a calendar. */
export type Condition =
  | FormulaCondition
  | MembersCondition
  | {
      readonly kind: 'days';
      readonly columns: readonly ColumnName[];
      readonly label?: ColumnName;
      readonly calendar: string;
      /** `keeps[row + 1]` for a row of the calendar table; `keeps[0]` for no row is always 0. */
      readonly keeps: Uint8Array;
    };

/** A step of a context, for an evaluator's kinds of axes and conditions. */
export type StepOf<A, C> =
  | { readonly kind: 'condition'; readonly condition: C }
  | {
      readonly kind: 'at';
      readonly which: 'first' | 'last';
      readonly column: ColumnName;
      readonly per: readonly ColumnName[];
      /** The axes that the context had: those that a `per` within adds later do not part its rows. */
      readonly axes: readonly A[];
    };

/**
 * What a measure is evaluated in: one condition per axis, conditions and `at` in their order, and the ways
 * named by `via`.
 */
export interface ContextOf<A, C> {
  readonly axes: readonly A[];
  readonly steps: readonly StepOf<A, C>[];
  readonly via: readonly string[];
  /** Conditions that do not reach are left out, not a reason not to apply. */
  readonly repeat: boolean;
}

export type Step = StepOf<Axis, Condition>;
export type Context = ContextOf<Axis, Condition>;

const fold = (name: string): string => name.toLowerCase();
const isOn = (
  columns: readonly { table: string; column?: string }[],
  target: TypedTarget,
  tables: ReadonlySet<string>,
): boolean =>
  columns.some((c) =>
    target.column === undefined
      ? tables.has(fold(c.table))
      : fold(c.table) === fold(target.table) &&
        c.column !== undefined &&
        fold(c.column) === fold(target.column),
  );

/** What dropping and reach need to know of a context, whichever evaluator it belongs to. */
export interface ContextShape {
  readonly axes: readonly { readonly name: string; readonly table: string; readonly column?: string }[];
  readonly steps: readonly StepShape[];
  readonly via: readonly string[];
  readonly repeat: boolean;
}

export type StepShape =
  | { readonly kind: 'at' }
  | { readonly kind: 'condition'; readonly condition: ConditionShape };
export interface ConditionShape {
  readonly kind: 'formula' | 'members' | 'days';
  readonly columns: readonly ColumnName[];
  readonly label?: ColumnName;
  readonly calendar?: string;
}

/** Drops conditions and axes; `at` stays. */
function keepWhere<C extends ContextShape>(
  context: C,
  keep: (columns: readonly { table: string; column?: string }[]) => boolean,
): C {
  return {
    ...context,
    axes: context.axes.filter((axis) => keep([axis])),
    steps: context.steps.filter((step) => step.kind === 'at' || keep(step.condition.columns)),
  };
}

/** The context after `ignoring` and `given`. */
export function dropped<C extends ContextShape>(
  context: C,
  words: Pick<TypedWords, 'ignoring' | 'given'>,
  reach: Reach,
): C {
  let left = context;
  if (words.ignoring) {
    const { what, targets } = words.ignoring;
    if (what === 'everything') left = keepWhere(left, () => false);
    for (const target of targets) {
      if (what === 'reaching')
        left = keepWhere(
          left,
          (columns) => !columns.some((c) => reachesTarget(reach, target.table, c.table, context.via)),
        );
      else {
        const tables = reach.closure(target.table);
        left = keepWhere(left, (columns) => !isOn(columns, target, tables));
      }
    }
  }
  if (words.given) {
    const kept = words.given.map((target) => ({ target, tables: reach.closure(target.table) }));
    // A condition stays when all that it names is given.
    left = keepWhere(left, (columns) =>
      columns.every((column) => kept.some(({ target, tables }) => isOn([column], target, tables))),
    );
  }
  return left;
}

const reachesTarget = (reach: Reach, table: string, other: string, via: readonly string[]): boolean => {
  const route = reach.route(table, other, via);
  return route !== undefined && route.kind !== 'ambiguous';
};

/** Whether all that a condition or an axis names lies on the calendar or on what it looks up. */
export function isOnCalendar(columns: readonly { table: string }[], calendar: string, reach: Reach): boolean {
  const tables = reach.closure(calendar);
  return columns.length > 0 && columns.every((c) => tables.has(fold(c.table)));
}

/** The context after `via`, `ignoring` and `given`, the words of a chain that take effect first. */
export const entered = <C extends ContextShape>(context: C, words: TypedWords, reach: Reach): C =>
  dropped(words.via ? { ...context, via: [...context.via, ...words.via] } : context, words, reach);

const measureContexts = new WeakMap<ContextShape, Map<string, ContextShape>>();

/**
 * The context in which the formula of a measure is worked out: the way that the measure goes by stands before
 * all that are named by `via`, which win. The same object each time, so that results are found again.
 */
export function measureContext<C extends ContextShape>(
  context: C,
  { via, unreached }: Pick<Measure, 'via' | 'unreached'>,
): C {
  const repeat = context.repeat || unreached === 'repeat';
  if (via === undefined && repeat === context.repeat) return context;
  let made = measureContexts.get(context);
  if (!made) measureContexts.set(context, (made = new Map()));
  const key = `${repeat ? 'repeat' : ''} ${via?.toLowerCase() ?? ''}`;
  let inner = made.get(key);
  if (!inner) {
    inner = { ...context, repeat, via: via === undefined ? context.via : [fold(via), ...context.via] };
    made.set(key, inner);
  }
  return inner as C;
}

export const formulaCondition = (typed: Typed): FormulaCondition => ({
  kind: 'formula',
  typed,
  columns: columnsOf(typed),
});

export const withCondition = <A, C>(context: ContextOf<A, C>, condition: C): ContextOf<A, C> => ({
  ...context,
  steps: [...context.steps, { kind: 'condition', condition }],
});

/** The context after `where` and `at`, which take effect last. */
export function restricted<A, C>(
  words: TypedWords,
  context: ContextOf<A, C | FormulaCondition>,
): ContextOf<A, C | FormulaCondition> {
  const inner = words.where ? withCondition(context, formulaCondition(words.where)) : context;
  return words.at
    ? { ...inner, steps: [...inner.steps, { kind: 'at', ...words.at, axes: inner.axes }] }
    : inner;
}

/**
 * A filter that comes through a bridge is judged on the rows met there, together with what else comes through
 * it: as a condition of the context. Undefined where the aggregate's filter, if it has one, speaks of what
 * its rows look up.
 */
export function filterAsCondition(
  node: TypedAggregate,
  via: readonly string[],
  reach: Reach,
): { plain: TypedAggregate; condition: FormulaCondition } | undefined {
  const { filter, ...plain } = node;
  if (!filter || columnsOf(filter).every((c) => reach.route(node.base, c.table, via)?.kind === 'lookup'))
    return undefined;
  return { plain, condition: formulaCondition(filter) };
}
