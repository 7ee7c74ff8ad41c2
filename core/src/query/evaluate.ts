import type { Value } from '../values/index.ts';
import type { Evaluate, Typed, TypedAggregate } from '../formula/index.ts';
import { compileScalar, operandsOf } from '../formula/index.ts';
import type { Measure } from '../model/index.ts';
import { sameName } from '../model/index.ts';
import { periodDays } from '../calendar/index.ts';
import type { PeriodShape } from '../calendar/index.ts';
import type { Cells } from './cells.ts';
import { cellsOf } from './cells.ts';
import type { Axis, Condition, Context } from './context.ts';
import {
  entered,
  filterAsCondition,
  isOnCalendar,
  measureContext,
  restricted,
  withCondition,
} from './context.ts';
import type { ModelData } from './modelData.ts';
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

  private inContext(node: Extract<Typed, { kind: 'context' }>, context: Context, cells: Cells): Value[] {
    const { words } = node;
    const before = entered(context, words, this.data.checker.reach);
    const first = this.projected(cells, before.axes);
    const values: Value[] = new Array<Value>(first.cells.tuples.size).fill(null);
    for (const part of this.over(words.over, before, first.cells)) {
      const inner = restricted(words, part.context);
      const second = this.projected(part.cells, inner.axes);
      const results = this.values(node.operand, inner, second.cells);
      part.places.forEach((place, i) => (values[place] = results[second.place[i]!]!));
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
   * Splits cells by their members on the calendar: each part has its own set of days. Without `over` there is
   * one part.
   */
  private over(
    over: { period: PeriodShape; calendar: string } | undefined,
    context: Context,
    cells: Cells,
  ): { context: Context; cells: Cells; places: number[] }[] {
    if (!over) return [{ context, cells, places: Array.from({ length: cells.tuples.size }, (_, i) => i) }];
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
    return [...parts].map(([part, { places }]) => {
      const made = cellsOf(otherAxes);
      const own = places.map((cell) => made.tuples.add((p) => cells.tuples.codes[others[p]!]![cell]!));
      // Cells of one part differ in their other members, so each has a place of its own.
      if (made.tuples.size !== own.length) throw new TypeError('two cells of one part are alike');
      return {
        context: this.overContext(
          over,
          context,
          otherAxes,
          calendarAxes,
          (p) => members.tuples.codes[p]![part]!,
        ),
        cells: made,
        places,
      };
    });
  }

  /** The context with the calendar's conditions replaced by the period's days. */
  private overContext(
    over: { period: PeriodShape; calendar: string },
    context: Context,
    axes: readonly Axis[],
    calendarAxes: readonly Axis[],
    code: (p: number) => number,
  ): Context {
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
    return {
      ...context,
      axes,
      steps: [{ kind: 'condition', condition: days }, ...context.steps.filter((step) => !own.includes(step))],
    };
  }

  /**
   * Rows of the calendar (index row + 1) whose days belong to the period, given the conditions on the
   * calendar.
   */
  periodRows(
    over: { period: PeriodShape; calendar: string },
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
    for (let m = 0; m < members.size; m++) {
      const inner = this.overContext(words.over, via, others, calendarAxes, (p) => members.codes[p]![m]!);
      const code = (axis: Axis) =>
        calendarAxes.includes(axis) ? members.codes[calendarAxes.indexOf(axis)]![m]! : outer(axis);
      this.list(node.operand, inner, axes, code, found);
    }
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
