import type { Value } from '../values/index.ts';
import type { FormulaChecker, Typed, TypedAggregate } from '../formula/index.ts';
import type { Cells, Context, EvaluationListener } from '../query/index.ts';

/** An aggregate that an evaluator worked out, in the context in which it did. */
export interface WorkedAggregate {
  readonly node: Typed & TypedAggregate;
  readonly context: Context;
  readonly cells: Cells;
  readonly values: readonly Value[];
  /** As its formula writes it. */
  readonly text: string;
}

interface Frame {
  readonly node: Typed;
  readonly context: Context;
  readonly cells: Cells;
  /** The formula that spans of the node count in. */
  readonly source: string;
}

/** Listens to an evaluator, and keeps each aggregate with its context: it sees what the evaluator does. */
export class AggregateCollector implements EvaluationListener {
  readonly found: WorkedAggregate[] = [];
  private readonly frames: Frame[] = [];

  constructor(private readonly checker: FormulaChecker) {}

  enter(node: Typed, context: Context, cells: Cells): void {
    const outer = this.frames.at(-1);
    const source =
      outer?.node.kind === 'measure'
        ? (this.checker.measure(outer.node.name)?.source ?? '')
        : (outer?.source ?? '');
    this.frames.push({ node, context, cells, source });
  }

  leave(values: readonly Value[]): void {
    const { node, context, cells, source } = this.frames.pop()!;
    if (node.kind !== 'aggregate') return;
    const text = source.slice(node.span.start, node.span.end).replace(/\s+/g, ' ');
    this.found.push({ node, context, cells, values, text });
  }
}
