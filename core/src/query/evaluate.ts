import type { Value } from '../values/index.ts';
import type { Evaluate, Typed, TypedAggregate } from '../formula/index.ts';
import { compileScalar, operandsOf } from '../formula/index.ts';
import type { Measure, Relationship } from '../model/index.ts';
import { cardinalityOf, sameName } from '../model/index.ts';
import { periodDays } from '../calendar/index.ts';
import type { PeriodShape } from '../calendar/index.ts';
import type { Cells } from './cells.ts';
import { cellsOf } from './cells.ts';
import type { Axis, Condition, Context, Step } from './context.ts';
import {
  entered,
  filterAsCondition,
  isOnCalendar,
  measureContext,
  restricted,
  withCondition,
} from './context.ts';
import type { ModelData } from './modelData.ts';
import type { Layered } from './periodParts.ts';
import { layersOf } from './periodParts.ts';
import { aggregateGroups } from './aggregates.ts';
import { FOUND, lookupMeetings } from './noMember.ts';
import { aggregateRows, compileRow } from './rowFormula.ts';
import type { Scan } from './scan.ts';
import { columnAxis, scan, unreachedColumns } from './scan.ts';
import { Tuples } from './tuples.ts';

/** Hears of each leaf of a formula that is worked out: before it, and after it with its values by cell. */
export interface EvaluationListener {
  enter(node: Typed, context: Context, cells: Cells): void;
  leave(values: readonly Value[]): void;
}

interface Over {
  readonly period: PeriodShape;
  readonly calendar: string;
}

/** Cells that are worked out in one context; `own` says which cell of it each of `places` has. */
interface OverPart {
  readonly context: Context;
  readonly cells: Cells;
  readonly places: number[];
  readonly own: number[];
}

/**
 * Evaluates checked measures in contexts. Results of measures are kept per context and cells while one answer
 * is made.
 */
export class Evaluator {
  private readonly known = new WeakMap<Context, WeakMap<Cells, Map<string, Value[]>>>();
  private readonly awaited = new WeakMap<Context, Set<TypedAggregate>>();

  /** `tracer` hears of each step while it is worked out; then nothing is taken from before. */
  constructor(
    readonly data: ModelData,
    private readonly tracer?: EvaluationListener,
  ) {}

  private measureTree(name: string): { typed: Typed; measure: Measure } {
    const typed = this.data.checker.measure(name)?.typed;
    if (!typed) throw new TypeError(`measure ${name} was not checked`);
    return { typed, measure: this.data.checker.names.measure(name)! };
  }

  // ---------- values ----------

  /** Says what will be asked in a context, so that one pass over the rows can answer all of it. */
  expect(node: Typed, context: Context): void {
    let known = this.awaited.get(context);
    if (!known) this.awaited.set(context, (known = new Set()));
    if (node.kind === 'aggregate') known.add(node);
    else if (node.kind === 'measure') {
      const { typed, measure } = this.measureTree(node.name);
      this.expect(typed, measureContext(context, measure));
    } else for (const child of operandsOf(node)) this.expect(child, context);
  }

  private expected(context: Context, base: string): TypedAggregate[] {
    const { reach } = this.data.checker;
    return [...(this.awaited.get(context) ?? [])].filter(
      (node) => sameName(node.base, base) && !filterAsCondition(node, context.via, reach),
    );
  }

  /** One value per cell. The cells' axes are those of the context. */
  values(node: Typed, context: Context, cells: Cells): Value[] {
    this.expect(node, context);
    const evaluate = compileScalar(node, (leaf) => this.leaf(leaf, context, cells));
    return Array.from({ length: cells.tuples.size }, (_, cell) => evaluate(cell));
  }

  private leaf(node: Typed, context: Context, cells: Cells): Evaluate {
    const values = this.leafValues(node, context, cells);
    return (cell) => values[cell]!;
  }

  private leafValues(node: Typed, context: Context, cells: Cells): Value[] {
    this.tracer?.enter(node, context, cells);
    const values = this.worked(node, context, cells);
    this.tracer?.leave(values);
    return values;
  }

  private worked(node: Typed, context: Context, cells: Cells): Value[] {
    switch (node.kind) {
      case 'aggregate':
        return this.aggregate(node, context, cells);
      case 'measure':
        return this.measure(node.name, context, cells);
      case 'per':
        return this.per(node, context, cells);
      case 'context':
        return this.inContext(node, context, cells);
      case 'step':
        return this.values(node.operand, context, cells);
      default:
        throw new TypeError(`${node.kind} has no place outside of an aggregate`);
    }
  }

  measure(name: string, context: Context, cells: Cells): Value[] {
    let byCells = this.known.get(context);
    if (!byCells) this.known.set(context, (byCells = new WeakMap()));
    let byName = byCells.get(cells);
    if (!byName) byCells.set(cells, (byName = new Map()));
    let values = byName.get(name.toLowerCase());
    if (!values || this.tracer) {
      const { typed, measure } = this.measureTree(name);
      values = this.values(typed, measureContext(context, measure), cells);
      byName.set(name.toLowerCase(), values);
    }
    return values;
  }

  private aggregate(node: TypedAggregate, context: Context, cells: Cells): Value[] {
    const apart = filterAsCondition(node, context.via, this.data.checker.reach);
    if (apart) return this.aggregate(apart.plain, withCondition(context, apart.condition), cells);
    if (!context.repeat && unreachedColumns(this.data, context, node.base).length > 0)
      return new Array<Value>(cells.tuples.size).fill(null);
    const made = scan(this.data, context, node.base);
    made.prepare?.([node, ...this.expected(context, node.base)]);
    const { tuples } = made;
    // One group more than there are: what an aggregate gives over no rows.
    const values =
      made.aggregate?.(node) ??
      aggregateRows(this.data, node, made.groups, tuples.size + 1, context.via, made.rows);
    return this.groupsOf(made, context, node.base, cells).map(
      (group) => values[group < 0 ? tuples.size : group]!,
    );
  }

  /** The group of a scan that each cell has; -1 for one without rows. */
  groupsOf({ tuples }: Scan, context: Context, base: string, cells: Cells): number[] {
    const places = this.reachedPlaces(context, base, cells);
    return Array.from({ length: cells.tuples.size }, (_, cell) =>
      tuples.size === 0 ? -1 : tuples.find((p) => cells.tuples.codes[places[p]!]![cell]!),
    );
  }

  /** Positions of the axes that reach the base table: under `repeat` the others do not count. */
  private reachedPlaces(context: Context, base: string, cells: Cells): number[] {
    const unreached = context.repeat ? unreachedColumns(this.data, context, base) : [];
    return cells.axes.flatMap((axis, p) =>
      unreached.some((c) => sameName(c.table, axis.table) && sameName(c.column, axis.column ?? axis.name))
        ? []
        : [p],
    );
  }

  /**
   * agg(M per columns): M for each combination that has rows, then the aggregate over the results of a cell.
   */
  private per(node: Extract<Typed, { kind: 'per' }>, context: Context, cells: Cells): Value[] {
    const added = node.columns.map((c) => columnAxis(this.data, c.table, c.column));
    const inner: Context = { ...context, axes: [...context.axes, ...added] };
    const direct = this.perOfOneScan(node, inner, cells);
    if (direct) return direct;
    const combinations = cellsOf(inner.axes);
    const groups: number[] = [];
    const listed = this.listCells(node.arg, inner);
    for (let i = 0; i < listed.size; i++) {
      const cell = cells.tuples.find((p) => listed.codes[p]![i]!);
      if (cell < 0) continue;
      combinations.tuples.add((p) => listed.codes[p]![i]!);
      groups.push(cell);
    }
    const values = this.values(node.arg, inner, combinations);
    return aggregateGroups({
      aggregate: node.aggregate,
      distinct: false,
      groups: Int32Array.from(groups),
      groupCount: cells.tuples.size,
      arg: (entry) => values[entry]!,
      argType: node.arg.type!,
    });
  }

  /**
   * As `per`, where all that is asked for each combination comes from one planned scan: its groups are the
   * combinations, and are neither listed nor looked up. Undefined where it does not.
   */
  private perOfOneScan(
    node: Extract<Typed, { kind: 'per' }>,
    inner: Context,
    cells: Cells,
  ): Value[] | undefined {
    const leaves = this.tracer || inner.repeat ? undefined : this.aggregatesOf(node.arg, inner);
    const base = leaves?.[0]?.base;
    if (!leaves || base === undefined || leaves.some((leaf) => !sameName(leaf.base, base))) return undefined;
    if (unreachedColumns(this.data, inner, base).length > 0) return undefined;
    const made = scan(this.data, inner, base);
    if (!made.prepare) return undefined;
    made.prepare(leaves);
    const values = new Map<TypedAggregate, Value[]>();
    for (const leaf of leaves) {
      const found = made.aggregate?.(leaf);
      if (!found) return undefined;
      values.set(leaf, found);
    }
    const evaluatorOf = (typed: Typed): Evaluate =>
      compileScalar(typed, (leaf) => {
        if (leaf.kind === 'measure') return evaluatorOf(this.measureTree(leaf.name).typed);
        if (leaf.kind === 'step') return evaluatorOf(leaf.operand);
        const found = values.get(leaf as TypedAggregate)!;
        return (place) => found[place]!;
      });
    // The axes of the cells come first: what they add is the rest by the product of their widths.
    const widths = cells.axes.map((axis) => axis.width);
    const outerSize = widths.reduce((product, width) => product * width, 1);
    const cellOf = new Map<number, number>();
    const numbers = made.groupNumbers!;
    const groups = new Int32Array(numbers.length);
    for (let place = 0; place < numbers.length; place++) {
      const outer = numbers[place]! % outerSize;
      let cell = cellOf.get(outer);
      if (cell === undefined) {
        let rest = outer;
        const codes = widths.map((width) => {
          const code = rest % width;
          rest = Math.floor(rest / width);
          return code;
        });
        cellOf.set(outer, (cell = cells.tuples.find((p) => codes[p]!)));
      }
      groups[place] = cell;
    }
    return aggregateGroups({
      aggregate: node.aggregate,
      distinct: false,
      groups,
      groupCount: cells.tuples.size,
      arg: evaluatorOf(node.arg),
      argType: node.arg.type!,
    });
  }

  /** Aggregates that a formula is made of by scalars alone, in one context; undefined where there is more. */
  private aggregatesOf(node: Typed, context: Context): TypedAggregate[] | undefined {
    switch (node.kind) {
      case 'aggregate':
        return filterAsCondition(node, context.via, this.data.checker.reach) ? undefined : [node];
      case 'measure': {
        const { typed, measure } = this.measureTree(node.name);
        return measureContext(context, measure) === context ? this.aggregatesOf(typed, context) : undefined;
      }
      case 'per':
      case 'context':
        return undefined;
      default: {
        const below = operandsOf(node).map((child) => this.aggregatesOf(child, context));
        return below.some((list) => list === undefined) ? undefined : below.flatMap((list) => list!);
      }
    }
  }

  private inContext(node: Extract<Typed, { kind: 'context' }>, context: Context, cells: Cells): Value[] {
    const { words } = node;
    const before = entered(context, words, this.data.checker.reach);
    const first = this.projected(cells, before.axes);
    const values: Value[] = new Array<Value>(first.cells.tuples.size).fill(null);
    for (const part of this.over(node.operand, words.over, before, first.cells)) {
      const inner = restricted(words, part.context);
      const second = this.projected(part.cells, inner.axes);
      const results = this.values(node.operand, inner, second.cells);
      part.places.forEach((place, i) => (values[place] = results[second.place[part.own[i]!]!]!));
    }
    return first.place.map((place) => values[place]!);
  }

  /** Cells over fewer axes, each once; `place[cell]` is where a cell of the old ones went. */
  private projected(cells: Cells, axes: readonly Axis[]): { cells: Cells; place: number[] } {
    if (axes.length === cells.axes.length)
      return { cells, place: Array.from({ length: cells.tuples.size }, (_, i) => i) };
    const from = axes.map((axis) => cells.axes.indexOf(axis));
    const made = cellsOf(axes);
    const place = Array.from({ length: cells.tuples.size }, (_, cell) =>
      made.tuples.add((p) => cells.tuples.codes[from[p]!]![cell]!),
    );
    return { cells: made, place };
  }

  /**
   * Splits cells by their members on the calendar: each part has its own sets of days, in which `own` is the
   * cell of the part that each of `places` has. Without `over` there is one part.
   */
  private over(node: Typed, over: Over | undefined, context: Context, cells: Cells): OverPart[] {
    if (!over) {
      const all = Array.from({ length: cells.tuples.size }, (_, i) => i);
      return [{ context, cells, places: all, own: all }];
    }
    const reach = this.data.checker.reach;
    const onCalendar = cells.axes.map((axis) => isOnCalendar([axis], over.calendar, reach));
    const calendarAxes = cells.axes.filter((_, p) => onCalendar[p]);
    const otherAxes = cells.axes.filter((_, p) => !onCalendar[p]);
    const parts = new Map<number, { places: number[] }>();
    const members = cellsOf(calendarAxes);
    const from = calendarAxes.map((axis) => cells.axes.indexOf(axis));
    for (let cell = 0; cell < cells.tuples.size; cell++) {
      const part = members.tuples.add((p) => cells.tuples.codes[from[p]!]![cell]!);
      if (!parts.has(part)) parts.set(part, { places: [] });
      parts.get(part)!.places.push(cell);
    }
    const others = otherAxes.map((axis) => cells.axes.indexOf(axis));
    const { placeOf, contexts } = this.overContexts(
      node,
      over,
      context,
      otherAxes,
      calendarAxes,
      [...parts.keys()].map((part) => (p) => members.tuples.codes[p]![part]!),
    );
    const made = contexts.map((one) => ({
      context: one,
      cells: cellsOf(one.axes),
      places: [] as number[],
      own: [] as number[],
    }));
    [...parts.values()].forEach(({ places }, set) => {
      const { layer, code } = placeOf[set]!;
      const into = made[layer]!;
      for (const cell of places) {
        into.places.push(cell);
        into.own.push(
          into.cells.tuples.add((p) => (p < others.length ? cells.tuples.codes[others[p]!]![cell]! : code)),
        );
      }
    });
    return made;
  }

  /**
   * Contexts in which the calendar's conditions are replaced by the days of a period, one set of days for
   * each combination of members on the calendar. Sets without a common day share a context, told apart by its
   * last axis; `placeOf` says which context a set has, and its code on that axis.
   */
  private overContexts(
    node: Typed,
    over: Over,
    context: Context,
    axes: readonly Axis[],
    calendarAxes: readonly Axis[],
    combinations: readonly ((p: number) => number)[],
  ): { placeOf: Layered['placeOf']; contexts: Context[] } {
    const single = combinations.map((code) => this.overContext(over, context, axes, calendarAxes, code));
    const apart = {
      placeOf: single.map((_, layer) => ({ layer, code: 0 })),
      contexts: single.map((one) => one.context),
    };
    // Members of a level of the calendar are kept whole or not at all: they are no matter of single days.
    if (single.length < 2 || this.leadsByLevel(node, over.calendar, context)) return apart;
    const calendar = (this.data.model.calendars ?? []).find((c) => sameName(c.table, over.calendar))!;
    const { layers, placeOf } = layersOf(
      single.map((one) => one.keeps),
      calendar,
    );
    if (layers.length === single.length) return apart;
    const contexts = layers.map(({ axis, keeps }): Context => {
      const { context: base } = single[0]!;
      const [days, ...steps] = base.steps as [Extract<Step, { kind: 'condition' }>, ...Step[]];
      return {
        ...base,
        axes: [...axes, axis],
        steps: [
          { kind: 'condition', condition: { ...days.condition, keeps } as Condition },
          ...steps.map((step) => (step.kind === 'at' ? { ...step, axes: [...step.axes, axis] } : step)),
        ],
      };
    });
    return { placeOf, contexts };
  }

  /** Whether a base table of a formula may lead to the calendar by a level of it. */
  private leadsByLevel(node: Typed, calendar: string, context: Context): boolean {
    const isLevel = (r: Relationship) => cardinalityOf(r) === 'many-to-level';
    return this.basesOf(node).some(
      (base) =>
        (this.data.model.relationships ?? []).some((r) => sameName(r.from.table, base) && isLevel(r)) ||
        (this.data.checker.reach.lookup(base, calendar, context.via)?.some(isLevel) ?? false),
    );
  }

  private basesOf(node: Typed): string[] {
    if (node.kind === 'aggregate') return [node.base];
    const below = node.kind === 'measure' ? [this.measureTree(node.name).typed] : operandsOf(node);
    return below.flatMap((one) => this.basesOf(one));
  }

  /** The context with the calendar's conditions replaced by the period's days. */
  private overContext(
    over: Over,
    context: Context,
    axes: readonly Axis[],
    calendarAxes: readonly Axis[],
    code: (p: number) => number,
  ): { context: Context; keeps: Uint8Array } {
    const reach = this.data.checker.reach;
    const own = context.steps.filter(
      (step) => step.kind === 'condition' && isOnCalendar(step.condition.columns, over.calendar, reach),
    );
    const keeps = this.periodRows(
      over,
      own.map((step) => (step as { condition: Condition }).condition),
      calendarAxes,
      code,
    );
    const calendar = (this.data.model.calendars ?? []).find((c) => sameName(c.table, over.calendar))!;
    const days: Condition = {
      kind: 'days',
      calendar: calendar.table,
      keeps,
      columns: [{ table: calendar.table, column: calendar.day }],
    };
    const steps: Step[] = [
      { kind: 'condition', condition: days },
      ...context.steps.filter((step) => !own.includes(step)),
    ];
    return { context: { ...context, axes, steps }, keeps };
  }

  /**
   * Rows of the calendar (index row + 1) whose days belong to the period, given the conditions on the
   * calendar.
   */
  periodRows(
    over: Over,
    conditions: readonly Condition[],
    axes: readonly Axis[],
    code: (p: number) => number,
  ): Uint8Array {
    const { sorted, byRow } = this.data.calendarDays(over.calendar);
    const keeps = new Uint8Array(byRow.length + 1);
    const asOf = this.data.today;
    const hasAsOf = this.data.model.asOf !== undefined;
    let days: number[];
    if (conditions.length === 0 && axes.length === 0)
      days = over.period.kind === 'same' ? sorted.filter((day) => day <= asOf) : [asOf];
    else {
      const left = this.calendarRows(over.calendar, conditions, axes, code);
      const set = new Set<number>();
      byRow.forEach((day, row) => {
        if (day !== null && left[row] && !(hasAsOf && day > asOf)) set.add(day);
      });
      days = [...set].sort((x, y) => x - y);
    }
    if (days.length === 0) return keeps;
    const fiscal =
      (this.data.model.calendars ?? []).find((c) => sameName(c.table, over.calendar))?.fiscalYear
        ?.firstMonth ?? 1;
    const belongs = periodDays(over.period, days, sorted, fiscal);
    byRow.forEach((day, row) => (keeps[row + 1] = day !== null && belongs(day) ? 1 : 0));
    return keeps;
  }

  private calendarRows(
    calendar: string,
    conditions: readonly Condition[],
    axes: readonly Axis[],
    code: (p: number) => number,
  ): Uint8Array {
    const left = new Uint8Array(this.data.rowCount(calendar)).fill(1);
    for (const condition of conditions) {
      const passes = this.calendarPasses(calendar, condition);
      for (let row = 0; row < left.length; row++) if (left[row] && passes(row) !== true) left[row] = 0;
    }
    axes.forEach((axis, p) => {
      const memberOf = this.membersOn(calendar, axis);
      for (let row = 0; row < left.length; row++) if (memberOf(row) !== code(p)) left[row] = 0;
    });
    return left;
  }

  private calendarPasses(calendar: string, condition: Condition): (row: number) => unknown {
    if (condition.kind === 'days') return (row) => condition.keeps[row + 1] === 1;
    const passes = compileRow(this.data, condition.typed, (table) => this.data.lookupIndex(calendar, table));
    if (condition.kind === 'formula') return passes;
    const meetings = lookupMeetings(this.data, calendar, condition.columns[0]!.table);
    return (row) => {
      const meets = meetings ? meetings[row]! : FOUND;
      return meets === FOUND ? passes(row) : condition.meets.includes(meets);
    };
  }

  /** The member of an axis on each row of a table that looks the axis's table up, or is it. */
  private membersOn(table: string, axis: Axis): (row: number) => number {
    if (axis.meets) {
      const meetings = lookupMeetings(this.data, table, axis.table);
      return (row) => (meetings ? meetings[row]! : FOUND);
    }
    const index = this.data.lookupIndex(table, axis.table);
    return (row) => (index ? (index[row] === 0 ? 0 : axis.codes[index[row]! - 1]!) : axis.codes[row]!);
  }

  // ---------- which cells are listed ----------

  /**
   * Cells in which the base table of an aggregate has rows; `ignoring`, `given`, `where`, `at` and `filter`
   * do not count.
   */
  listCells(node: Typed, context: Context): Tuples {
    const found = new Tuples(context.axes.map((axis) => axis.width));
    this.list(node, context, context.axes, () => 0, found);
    return found;
  }

  /** `outer(p)` gives the codes of those of `axes` that the context no longer has. */
  private list(
    node: Typed,
    context: Context,
    axes: readonly Axis[],
    outer: (axis: Axis) => number,
    found: Tuples,
  ): void {
    switch (node.kind) {
      case 'aggregate': {
        if (unreachedColumns(this.data, context, node.base).length > 0) return;
        const made = scan(this.data, context, node.base);
        made.prepare?.(this.expected(context, node.base));
        const { tuples } = made;
        const own = axes.map((axis) => context.axes.indexOf(axis));
        for (let g = 0; g < tuples.size; g++)
          found.add((p) => (own[p]! < 0 ? outer(axes[p]!) : tuples.codes[own[p]!]![g]!));
        return;
      }
      case 'measure': {
        const { typed, measure } = this.measureTree(node.name);
        // What `unreached` repeats does not count: its cells are listed where its columns reach.
        return this.list(typed, measureContext(context, { via: measure.via }), axes, outer, found);
      }
      case 'per':
        return this.list(node.arg, context, axes, outer, found);
      case 'context':
        return this.listContext(node, context, axes, outer, found);
      default:
        for (const child of operandsOf(node)) this.list(child, context, axes, outer, found);
    }
  }

  private listContext(
    node: Extract<Typed, { kind: 'context' }>,
    context: Context,
    axes: readonly Axis[],
    outer: (axis: Axis) => number,
    found: Tuples,
  ): void {
    const { words } = node;
    const via = words.via ? { ...context, via: [...context.via, ...words.via] } : context;
    if (!words.over) return this.list(node.operand, via, axes, outer, found);
    const reach = this.data.checker.reach;
    const calendarAxes = via.axes.filter((axis) => isOnCalendar([axis], words.over!.calendar, reach));
    const others = via.axes.filter((axis) => !calendarAxes.includes(axis));
    const members = this.calendarMembers(words.over.calendar, calendarAxes, via);
    const combinations = Array.from({ length: members.size }, (_, m) => (p: number) => members.codes[p]![m]!);
    const { placeOf, contexts } = this.overContexts(
      node.operand,
      words.over,
      via,
      others,
      calendarAxes,
      combinations,
    );
    const own = axes.map((axis) => calendarAxes.indexOf(axis));
    contexts.forEach((inner, layer) => {
      const here = placeOf.flatMap((place, m) => (place.layer === layer ? [{ ...place, m }] : []));
      const added = inner.axes.slice(others.length);
      if (added.length === 0) {
        for (const { m } of here)
          this.list(
            node.operand,
            inner,
            axes,
            (axis) =>
              calendarAxes.includes(axis) ? members.codes[calendarAxes.indexOf(axis)]![m]! : outer(axis),
            found,
          );
        return;
      }
      const rest = axes.filter((_, p) => own[p]! < 0);
      const listed = new Tuples([...rest, ...added].map((axis) => axis.width));
      this.list(node.operand, inner, [...rest, ...added], outer, listed);
      const from = axes.map((axis) => rest.indexOf(axis));
      for (let i = 0; i < listed.size; i++) {
        const code = listed.codes.at(-1)![i]!;
        for (const set of here)
          if (set.code === code)
            found.add((p) => (own[p]! < 0 ? listed.codes[from[p]!]![i]! : members.codes[own[p]!]![set.m]!));
      }
    });
  }

  /**
   * Combinations of the axes' members that rows of the calendar have under the context's conditions on it.
   */
  private calendarMembers(calendar: string, axes: readonly Axis[], context: Context): Tuples {
    const members = new Tuples(axes.map((axis) => axis.width));
    if (axes.length === 0) {
      members.add(() => 0);
      return members;
    }
    const reach = this.data.checker.reach;
    const own = context.steps.flatMap((step) =>
      step.kind === 'condition' && isOnCalendar(step.condition.columns, calendar, reach)
        ? [step.condition]
        : [],
    );
    const left = this.calendarRows(calendar, own, [], () => 0);
    const memberOf = axes.map((axis) => this.membersOn(calendar, axis));
    for (let row = 0; row < left.length; row++) if (left[row]) members.add((p) => memberOf[p]!(row));
    return members;
  }
}
