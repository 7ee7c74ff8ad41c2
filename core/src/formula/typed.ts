import type { DataType, Value } from '../values/index.ts';
import type { Span } from './source.ts';
import type { AggregateName, BinaryOperator, Period } from './tree.ts';
import type { Application } from './functions/index.ts';

/** A column that a checked formula names; names as the model writes them. */
export interface ColumnName {
  readonly table: string;
  readonly column: string;
}

/**
 * A checked formula: names resolved, types known, conversions explicit. `type` is null for the literal null
 * only.
 */
export type Typed = { readonly type: DataType | null; readonly span: Span } & (
  | { readonly kind: 'constant'; readonly value: Value }
  | ({ readonly kind: 'column' } & ColumnName)
  | {
      readonly kind: 'apply';
      readonly name: string;
      readonly args: readonly Typed[];
      readonly application: Application;
      readonly takesNulls: boolean;
    }
  | { readonly kind: 'convert'; readonly operand: Typed; readonly cast: boolean }
  | { readonly kind: 'logic'; readonly operator: 'and' | 'or'; readonly left: Typed; readonly right: Typed }
  | { readonly kind: 'not'; readonly operand: Typed }
  | {
      readonly kind: 'compare';
      readonly operator: Extract<BinaryOperator, '=' | '<>' | '<' | '<=' | '>' | '>='>;
      readonly left: Typed;
      readonly right: Typed;
    }
  | { readonly kind: 'is-null'; readonly operand: Typed; readonly not: boolean }
  | { readonly kind: 'is-distinct'; readonly left: Typed; readonly right: Typed; readonly not: boolean }
  | { readonly kind: 'in'; readonly operand: Typed; readonly list: readonly Typed[]; readonly not: boolean }
  | { readonly kind: 'like'; readonly operand: Typed; readonly pattern: Typed; readonly not: boolean }
  | {
      readonly kind: 'case';
      readonly branches: readonly { when: Typed; then: Typed }[];
      readonly otherwise?: Typed;
    }
  | TypedAggregate
  | {
      readonly kind: 'per';
      readonly aggregate: AggregateName;
      readonly arg: Typed;
      readonly columns: readonly ColumnName[];
    }
  | { readonly kind: 'measure'; readonly name: string }
  /** A step of `with … select` where it is used, under its name. */
  | { readonly kind: 'step'; readonly name: string; readonly operand: Typed }
  | { readonly kind: 'context'; readonly operand: Typed; readonly words: TypedWords }
);

/** An aggregate over rows of its base table; in a row formula over the base rows that refer to the row. */
export interface TypedAggregate {
  readonly kind: 'aggregate';
  readonly aggregate: AggregateName;
  readonly distinct: boolean;
  /** Missing for `count(table)`. */
  readonly arg?: Typed;
  readonly by?: Typed;
  readonly base: string;
  readonly filter?: Typed;
  /** Set in a row formula: the table whose rows the aggregate belongs to. */
  readonly owner?: string;
}

/** A table, or one column of it. */
export interface TypedTarget {
  readonly table: string;
  readonly column?: string;
}

/** The words of one chain, in no order: their order of effect is fixed. */
export interface TypedWords {
  /** Names of relationships in lower case. */
  readonly via?: readonly string[];
  readonly ignoring?: {
    readonly what: 'everything' | 'reaching' | 'targets';
    readonly targets: readonly TypedTarget[];
  };
  readonly given?: readonly TypedTarget[];
  readonly over?: { readonly period: Period; readonly calendar: string };
  readonly where?: Typed;
  readonly at?: {
    readonly which: 'first' | 'last';
    readonly column: ColumnName;
    readonly per: readonly ColumnName[];
  };
}

/** Visits a node and everything below it; measures named are not entered. */
export function walkTyped(node: Typed, visit: (node: Typed) => void): void {
  visit(node);
  for (const child of childrenOf(node)) walkTyped(child, visit);
}

/** Operands of a scalar operation; nothing for what is none (columns, aggregates, measures, contexts). */
export function operandsOf(node: Typed): readonly Typed[] {
  switch (node.kind) {
    case 'apply':
      return node.args;
    case 'convert':
    case 'not':
    case 'is-null':
    case 'step':
      return [node.operand];
    case 'logic':
    case 'compare':
    case 'is-distinct':
      return [node.left, node.right];
    case 'in':
      return [node.operand, ...node.list];
    case 'like':
      return [node.operand, node.pattern];
    case 'case':
      return [
        ...node.branches.flatMap(({ when, then }) => [when, then]),
        ...(node.otherwise ? [node.otherwise] : []),
      ];
    default:
      return [];
  }
}

function childrenOf(node: Typed): readonly Typed[] {
  switch (node.kind) {
    case 'aggregate':
      return [node.arg, node.by, node.filter].filter((n): n is Typed => n !== undefined);
    case 'per':
      return [node.arg];
    case 'context':
      return [node.operand, ...(node.words.where ? [node.words.where] : [])];
    default:
      return operandsOf(node);
  }
}

/** The columns that a row formula or condition names, each once. */
export function columnsOf(node: Typed): ColumnName[] {
  const found = new Map<string, ColumnName>();
  walkTyped(node, (n) => {
    if (n.kind === 'column')
      found.set(`${n.table.toLowerCase()}\n${n.column.toLowerCase()}`, { table: n.table, column: n.column });
  });
  return [...found.values()];
}

export const tablesOf = (node: Typed): string[] => [...new Set(columnsOf(node).map((c) => c.table))];

/** The aggregates of a formula, at whatever depth. */
export function aggregatesOf(typed: Typed): TypedAggregate[] {
  const found: TypedAggregate[] = [];
  walkTyped(typed, (node) => {
    if (node.kind === 'aggregate') found.push(node);
  });
  return found;
}
