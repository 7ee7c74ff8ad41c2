import type { Span } from './source.ts';

/** The parsed formula: what was written, nothing looked up. Every node carries its span. */
export type Expression = Span &
  (
    | { readonly kind: 'number'; readonly text: string }
    | { readonly kind: 'text'; readonly text: string }
    | { readonly kind: 'boolean'; readonly value: boolean }
    | { readonly kind: 'null' }
    | { readonly kind: 'moment'; readonly type: 'date' | 'timestamp'; readonly text: string }
    | { readonly kind: 'name'; readonly parts: readonly Name[] }
    | { readonly kind: 'unary'; readonly operator: '-' | '+' | 'not'; readonly operand: Expression }
    | {
        readonly kind: 'binary';
        readonly operator: BinaryOperator;
        readonly left: Expression;
        readonly right: Expression;
      }
    | { readonly kind: 'is-null'; readonly operand: Expression; readonly not: boolean }
    | {
        readonly kind: 'is-distinct';
        readonly left: Expression;
        readonly right: Expression;
        readonly not: boolean;
      }
    | {
        readonly kind: 'in';
        readonly operand: Expression;
        readonly list: readonly Expression[];
        readonly not: boolean;
      }
    | {
        readonly kind: 'between';
        readonly operand: Expression;
        readonly low: Expression;
        readonly high: Expression;
        readonly not: boolean;
      }
    | {
        readonly kind: 'like';
        readonly operand: Expression;
        readonly pattern: Expression;
        readonly not: boolean;
      }
    | {
        readonly kind: 'case';
        readonly subject?: Expression;
        readonly branches: readonly { when: Expression; then: Expression }[];
        readonly otherwise?: Expression;
      }
    | { readonly kind: 'cast'; readonly operand: Expression; readonly type: string; readonly typeSpan: Span }
    | { readonly kind: 'call'; readonly name: Name; readonly args: readonly Expression[] }
    | AggregateCall
    | { readonly kind: 'context'; readonly operand: Expression; readonly words: readonly ContextWord[] }
    | {
        readonly kind: 'with';
        readonly steps: readonly { name: Name; value: Expression }[];
        readonly body: Expression;
      }
    | { readonly kind: 'parenthesised'; readonly inner: Expression }
    /** Stands where something could not be read; a fault tells what. */
    | { readonly kind: 'missing' }
  );

export interface Name extends Span {
  readonly text: string;
  readonly quoted: boolean;
}

export interface AggregateCall extends Span {
  readonly kind: 'aggregate';
  readonly name: Name;
  readonly distinct: boolean;
  readonly arg: Expression;
  /** Of `latest(x by y)`. */
  readonly by?: Expression;
  /** Of `avg(M per t.c)`. */
  readonly per?: readonly Target[];
  readonly from?: Name;
  readonly filter?: Expression;
}

export type BinaryOperator =
  | 'or'
  | 'and'
  | '='
  | '<>'
  | '<'
  | '<='
  | '>'
  | '>='
  | '||'
  | '+'
  | '-'
  | '*'
  | '/'
  | '%';

/** A table, or a column of one. */
export interface Target extends Span {
  readonly table: Name;
  readonly column?: Name;
}

export type ContextWord = Span &
  (
    | { readonly word: 'where'; readonly condition: Expression }
    | {
        readonly word: 'ignoring';
        readonly what: 'everything' | 'reaching' | 'targets';
        readonly targets: readonly Target[];
      }
    | { readonly word: 'given'; readonly targets: readonly Target[] }
    | { readonly word: 'via'; readonly relationships: readonly Name[] }
    | { readonly word: 'over'; readonly period: Period; readonly calendar?: Name }
    | {
        readonly word: 'at';
        readonly which: 'first' | 'last';
        readonly column: Target;
        readonly per?: readonly Target[];
      }
  );

export type PeriodUnit = 'day' | 'week' | 'month' | 'quarter' | 'year' | 'fiscal quarter' | 'fiscal year';

export type Period =
  | { readonly kind: 'to date'; readonly unit: PeriodUnit | 'all' }
  | { readonly kind: 'whole'; readonly unit: PeriodUnit }
  | { readonly kind: 'previous'; readonly unit: PeriodUnit }
  | { readonly kind: 'next'; readonly unit: PeriodUnit }
  | { readonly kind: 'same'; readonly count: number; readonly unit: PeriodUnit }
  | { readonly kind: 'last'; readonly count: number; readonly unit: PeriodUnit };

export const AGGREGATES = [
  'count',
  'sum',
  'avg',
  'min',
  'max',
  'median',
  'stddev_samp',
  'var_samp',
  'stddev_pop',
  'var_pop',
  'latest',
  'earliest',
  'only',
] as const;
export type AggregateName = (typeof AGGREGATES)[number];
