import type { ModelNames } from '../../model/index.ts';
import { isExact, scaleOf } from '../../values/index.ts';
import type { DataType } from '../../values/index.ts';
import type { ModelFacts } from './modelFacts.ts';
import { typeText } from '../functions/definition.ts';
import type { Argument } from '../functions/index.ts';
import type { FormulaFault, Span } from '../source.ts';
import type { Expression } from '../tree.ts';
import type { ColumnName, Typed } from '../typed.ts';
import type { Scope } from './place.ts';

/**
 * What all parts of a check share: the formula's text, the faults found so far, and the conversion of values.
 */
export abstract class PassBase {
  readonly restsOn = new Set<string>();

  readonly usedMeasures = new Set<string>();

  readonly usedColumns = new Map<string, ColumnName>();

  protected steps: { name: string; typed: Typed | undefined }[] = [];

  /** Relationships named by `via` around the node being checked. */
  protected via: string[] = [];

  constructor(
    protected readonly checker: ModelFacts,
    protected readonly source: string,
    protected readonly scope: Scope,
    readonly faults: FormulaFault[],
  ) {}

  protected get names(): ModelNames {
    return this.checker.names;
  }

  protected fault(span: Span, message: string): undefined {
    this.faults.push({ start: span.start, end: span.end, message });
    return undefined;
  }

  protected text(span: Span): string {
    const text = this.source.slice(span.start, span.end);
    return text.length > 60 ? `${text.slice(0, 57)}…` : text;
  }

  protected describe(span: Span, typed: Typed): string {
    return typeText({ type: typed.type, text: this.text(span) });
  }

  protected argument(node: Expression, typed: Typed): Argument {
    return {
      type: typed.type,
      text: this.text(node),
      ...(typed.kind === 'constant' ? { constant: typed.value } : {}),
    };
  }

  /** Brings a value to a type that holds it; undefined where that would need a cast. */
  protected coerce(node: Typed, to: DataType): Typed | undefined {
    if (node.type === null)
      return node.kind === 'constant'
        ? { ...node, type: to }
        : { kind: 'convert', operand: node, cast: false, type: to, span: node.span };
    if (node.type.kind === to.kind && scaleOf(node.type) === scaleOf(to)) return node;
    if (isExact(node.type) && (to.kind === 'double' || (isExact(to) && scaleOf(to) >= scaleOf(node.type))))
      return { kind: 'convert', operand: node, cast: false, type: to, span: node.span };
    // A computed column may be declared with fewer decimals than its formula has: it is rounded like a cast.
    if (isExact(node.type) && to.kind === 'decimal')
      return { kind: 'convert', operand: node, cast: true, type: to, span: node.span };
    return undefined;
  }
}
