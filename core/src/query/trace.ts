import type { Value } from '../values/index.ts';
import { formatDate, formatType, toJson } from '../values/index.ts';
import type { Typed } from '../formula/index.ts';
import { columnsOf, compileScalar, operandsOf } from '../formula/index.ts';
import { sameName } from '../model/index.ts';
import { hopsOf } from '../relate/index.ts';
import type { Axis, Condition, Context, Step } from './context.ts';
import type { Cells } from './cells.ts';
import type { EvaluationListener } from './evaluate.ts';
import type { ModelData } from './modelData.ts';
import { scan, unreachedColumns, unreachedOf } from './scan.ts';

// What the evaluator did for one cell, told while it works: an explanation cannot differ from the
// computation.

/** A condition of the question, or one that the formula adds; and the words that took it away again. */
export interface TracedCondition {
  readonly text: string;
  readonly droppedBy?: string;
}

/** A stretch of days that were counted, both ends among them, in ISO 8601. */
export interface TracedDays {
  readonly from: string;
  readonly to: string;
}

/**
 * How many rows of the base are left once the conditions on this table, and on the tables before it, hold.
 * The base itself comes first, with no path.
 */
export interface TracedTable {
  readonly table: string;
  /** Names of relationships, from the base on. */
  readonly path: readonly string[];
  readonly rowsLeft: number;
}

/**
 * An aggregate, a measure, or a chain of words of the formula. `value` is missing where it was worked out for
 * several cells at once (`per`).
 */
export interface TracedPart {
  readonly text: string;
  readonly value?: null | boolean | number | string;
  /** Of the value, as the model file writes types. */
  readonly type?: string;
  readonly conditions: readonly TracedCondition[];
  readonly days: readonly TracedDays[];
  readonly tables: readonly TracedTable[];
  /** Columns of the conditions that do not reach the rows. */
  readonly doesNotApplyBy?: readonly string[];
  readonly parts?: readonly TracedPart[];
  /** How many of its rows count with a value that somebody has corrected; missing for none. */
  readonly corrected?: number;
  /** Expressions within its formula that put parts together, innermost first. */
  readonly steps?: readonly TracedStep[];
}

/** An expression of a formula with the value that it has in the cell. */
export interface TracedStep {
  readonly text: string;
  readonly value: null | boolean | number | string;
  readonly type: string;
}

interface Frame {
  readonly node: Typed;
  readonly context: Context;
  readonly cells: Cells;
  /** The formula that spans of the node count in. */
  readonly source: string;
  readonly parts: TracedPart[];
  /** Values of the leaves of its formula, in the one cell. */
  readonly leaves: Map<Typed, Value>;
}

type Narrowing = Axis | Step;

/** Listens to an evaluator that works out one cell. `said` has the conditions of the question in words. */
export class CellTracer implements EvaluationListener {
  readonly parts: TracedPart[] = [];
  private readonly frames: Frame[] = [];

  constructor(
    private readonly data: ModelData,
    private readonly said: ReadonlyMap<Narrowing, string>,
  ) {}

  /** Before a leaf of a formula is worked out. */
  enter(node: Typed, context: Context, cells: Cells): void {
    const outer = this.frames.at(-1);
    const source = outer === undefined ? '' : this.sourceWithin(outer);
    this.frames.push({ node, context, cells, source, parts: [], leaves: new Map() });
  }

  /** After it: with the value of each cell. */
  leave(values: readonly Value[]): void {
    const frame = this.frames.at(-1)!;
    const { node, cells, parts } = frame;
    const told: TracedPart = {
      text: nameOf(node) ?? textOf(frame.source, node.span),
      ...(cells.tuples.size === 1 && node.type
        ? { value: toJson(values[0]!, node.type), type: formatType(node.type) }
        : {}),
      ...(node.kind === 'aggregate'
        ? this.aggregate(frame, node.base)
        : { conditions: [], days: [], tables: [] }),
      ...(parts.length > 0 ? { parts } : {}),
      ...this.steps(frame),
    };
    this.frames.pop();
    const outer = this.frames.at(-1);
    if (cells.tuples.size === 1) outer?.leaves.set(node, values[0]!);
    (outer?.parts ?? this.parts).push(told);
  }

  /** Values of the expressions within a part, worked out of the values of its leaves. */
  private steps(frame: Frame): { steps?: TracedStep[] } {
    const whole = this.formulaOf(frame.node);
    if (!whole || frame.cells.tuples.size !== 1) return {};
    const source = this.sourceWithin(frame);
    const steps: TracedStep[] = [];
    const walk = (node: Typed): void => {
      const inner = node.kind === 'step' ? [] : operandsOf(node);
      if (inner.length === 0) return;
      inner.forEach(walk);
      const text = textOf(source, node.span);
      // A conversion is written as what it converts, and the whole is the part itself.
      if (node === whole || node.kind === 'convert' || !node.type || steps.some((s) => s.text === text))
        return;
      const value = compileScalar(node, (leaf) => () => frame.leaves.get(leaf) ?? null)(0);
      steps.push({ text, value: toJson(value, node.type), type: formatType(node.type) });
    };
    walk(whole);
    return steps.length > 0 ? { steps } : {};
  }

  /** The expression that is worked out within a part. */
  private formulaOf(node: Typed): Typed | undefined {
    if (node.kind === 'measure') return this.data.checker.measure(node.name)?.typed;
    return node.kind === 'context' || node.kind === 'step' ? node.operand : undefined;
  }

  private sourceWithin({ node, source }: Frame): string {
    return node.kind === 'measure' ? (this.data.checker.measure(node.name)?.source ?? '') : source;
  }

  private aggregate(frame: Frame, base: string): Omit<TracedPart, 'text' | 'value' | 'type' | 'parts'> {
    const { context, cells } = frame;
    const unreached = unreachedColumns(this.data, context, base);
    const held = narrowings(context).filter((n) => !context.repeat || this.reaches(n, base, context));
    return {
      conditions: this.conditions(frame, new Set(held)),
      days: held.flatMap((n) => this.days(n)),
      tables:
        cells.tuples.size === 1 && (context.repeat || unreached.length === 0)
          ? this.tables(held, frame, base)
          : [],
      ...(context.repeat || unreached.length === 0 ? this.corrected(frame, base) : {}),
      ...(unreached.length > 0 && !context.repeat
        ? { doesNotApplyBy: unreached.map((c) => `${c.table}.${c.column}`) }
        : {}),
    };
  }

  /** Rows of the cell in which a column that is read has been corrected. */
  private corrected({ node, context, cells }: Frame, base: string): { corrected?: number } {
    if (cells.tuples.size !== 1) return {};
    const read = columnsOf(node).flatMap(({ table, column }) => {
      const rows = this.data.table(table).corrected?.get(column.toLowerCase())?.byRow;
      if (!rows || rows.size === 0) return [];
      return [{ rows, index: this.data.lookupIndex(base, table, context.via) }];
    });
    if (read.length === 0) return {};
    const { groups, rows: places } = scan(this.data, context, base);
    let corrected = 0;
    const wanted = this.groupOf(narrowings(context).filter(isAxis), context, cells, base);
    groups.forEach((group, entry) => {
      const row = places ? places[entry]! : entry;
      if (group === wanted && read.some(({ rows, index }) => rows.has(index ? index[row]! - 1 : row)))
        corrected++;
    });
    return corrected > 0 ? { corrected } : {};
  }

  private reaches(narrowing: Narrowing, base: string, context: Context): boolean {
    if (isAxis(narrowing))
      return unreachedColumns(this.data, { ...context, axes: [narrowing], steps: [] }, base).length === 0;
    return (
      narrowing.kind === 'at' || unreachedOf(this.data, narrowing.condition, base, context.via).length === 0
    );
  }

  /**
   * All that the question said and the formula added on the way here, each with the words that dropped it.
   */
  private conditions({ context }: Frame, held: ReadonlySet<Narrowing>): TracedCondition[] {
    const texts = new Map(this.said);
    const droppedBy = new Map<Narrowing, string>();
    for (const [i, outer] of this.frames.entries()) {
      const inner = this.frames[i + 1];
      if (!inner) break;
      const [before, after] = [new Set(narrowings(outer.context)), new Set(narrowings(inner.context))];
      const words = outer.node.kind === 'context' ? wordsOf(outer.source, outer.node) : '';
      for (const gone of before) if (!after.has(gone) && !droppedBy.has(gone)) droppedBy.set(gone, words);
      for (const added of after)
        if (!before.has(added) && !texts.has(added)) {
          const text = this.addedText(added, outer, words);
          if (text !== undefined) texts.set(added, text);
        }
    }
    for (const narrowing of narrowings(context))
      if (!held.has(narrowing)) droppedBy.set(narrowing, 'it does not reach the rows, and is left out there');
    return [...texts].map(([narrowing, text]) => {
      const by = droppedBy.get(narrowing);
      return by === undefined ? { text } : { text, droppedBy: by };
    });
  }

  private addedText(added: Narrowing, { source }: Frame, words: string): string | undefined {
    if (isAxis(added)) return added.meets ? undefined : `for each ${added.name}`;
    if (added.kind === 'at') return `at ${added.which} ${added.column.table}.${added.column.column}`;
    return added.condition.kind === 'days' ? words : textOf(source, added.condition.typed.span);
  }

  private days(narrowing: Narrowing): TracedDays[] {
    if (isAxis(narrowing) || narrowing.kind === 'at' || narrowing.condition.kind !== 'days') return [];
    const { calendar, keeps } = narrowing.condition;
    const { sorted, byRow } = this.data.calendarDays(calendar);
    const kept = new Set(byRow.filter((day, row) => day !== null && keeps[row + 1] === 1));
    const stretches: { from: number; to: number }[] = [];
    let open = false;
    for (const day of sorted) {
      if (!kept.has(day)) open = false;
      else if (open) stretches.at(-1)!.to = day;
      else {
        stretches.push({ from: day, to: day });
        open = true;
      }
    }
    return stretches.map(({ from, to }) => ({ from: formatDate(from), to: formatDate(to) }));
  }

  private tables(held: readonly Narrowing[], { context, cells }: Frame, base: string): TracedTable[] {
    const names = [base, ...held.map(tableOf).filter((t) => !sameName(t, base))];
    const tables = names.filter((name, i) => names.findIndex((other) => sameName(other, name)) === i);
    return tables.map((table, i) => {
      const upTo = tables.slice(0, i + 1);
      const some = held.filter((n) => upTo.some((name) => sameName(name, tableOf(n))));
      return {
        table,
        path: this.path(base, table, context),
        rowsLeft: this.rows(some, context, cells, base),
      };
    });
  }

  private path(base: string, table: string, { via }: Context): string[] {
    const route = sameName(base, table) ? undefined : this.data.checker.reach.route(base, table, via);
    return route && route.kind !== 'ambiguous' ? hopsOf(route).map((r) => r.name) : [];
  }

  private rows(some: readonly Narrowing[], context: Context, cells: Cells, base: string): number {
    const axes = some.filter(isAxis);
    const steps = some.filter((n): n is Step => !isAxis(n));
    const narrowed = { ...context, axes, steps };
    const group = this.groupOf(axes, narrowed, cells, base);
    return group < 0
      ? 0
      : scan(this.data, narrowed, base).groups.reduce((n, g) => n + (g === group ? 1 : 0), 0);
  }

  /** The group of a scan in which the rows of the cell are; -1 for none. */
  private groupOf(axes: readonly Axis[], context: Context, cells: Cells, base: string): number {
    const { tuples } = scan(this.data, context, base);
    const place = axes.map((axis) => cells.axes.indexOf(axis));
    return tuples.size === 0 ? -1 : tuples.find((p) => cells.tuples.codes[place[p]!]![0]!);
  }
}

const isAxis = (narrowing: Narrowing): narrowing is Axis => 'codes' in narrowing;
const narrowings = ({ axes, steps }: Context): Narrowing[] => [...axes, ...steps];

function tableOf(narrowing: Narrowing): string {
  if (isAxis(narrowing)) return narrowing.table;
  if (narrowing.kind === 'at') return narrowing.column.table;
  const condition: Condition = narrowing.condition;
  return condition.kind === 'days' ? condition.calendar : (condition.columns[0]?.table ?? '');
}

/** A measure and a named step are told by their names. */
const nameOf = (node: Typed): string | undefined =>
  node.kind === 'measure' ? `"${node.name}"` : node.kind === 'step' ? node.name : undefined;

const textOf = (source: string, { start, end }: { start: number; end: number }): string =>
  source.slice(start, end).replace(/\s+/g, ' ');

/** The words of a chain, as they stand behind what they are said of. */
const wordsOf = (source: string, node: Extract<Typed, { kind: 'context' }>): string =>
  textOf(source, { start: node.operand.span.end, end: node.span.end }).replace(/^[\s)]+/, '');
