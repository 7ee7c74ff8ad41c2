import type { Exact, Value, DataType } from '@crease/core/values';
import {
  add,
  compareValues,
  fromJson,
  isExact,
  parseType,
  scaleOf,
  TEXT,
  toDouble,
  toJson,
} from '@crease/core/values';
import type { FormulaChecker, Typed, TypedAggregate } from '@crease/core/formula';
import { columnsOf, compileScalar, operandsOf, parsePeriod } from '@crease/core/formula';
import type { PlainQuery, Table } from '@crease/core/model';
import { cardinalityOf, sameName } from '@crease/core/model';
import { periodDays } from '@crease/core/calendar';
import type { PeriodShape } from '@crease/core/calendar';
import type { Path, Route } from '@crease/core/relate';
import { columnReaches, dropped, isOnCalendar, unreachedColumns, unreachedOf } from '@crease/core/query';
import type { World } from './world.ts';

type Row = Readonly<Record<string, Value>>;
type Through = Extract<Route, { kind: 'bridge' | 'many-to-many' }>;
/** A base row with the rows that it meets. */
interface Entry {
  readonly row: Row;
  readonly met: ReadonlyMap<string, Row | null>;
}

/** A condition that a member sets, or an axis whose members are being listed (`value` undefined). */
interface Axis {
  readonly id: number;
  readonly name: string;
  readonly table: string;
  readonly column: string;
  readonly value: Value | undefined;
  /** Its members say how rows meet the table: 0 found, 1 no reference, 2 no partner. */
  readonly meets?: true;
}
interface Condition {
  readonly kind: 'formula' | 'days';
  readonly columns: readonly { table: string; column: string }[];
  readonly calendar?: string;
  readonly typed?: Typed;
  /** How rows that found none may meet the table; undefined where that is not asked. */
  readonly meets?: readonly number[];
  readonly days?: ReadonlySet<number>;
}
type Step =
  | { readonly kind: 'condition'; readonly condition: Condition }
  | {
      readonly kind: 'at';
      readonly which: 'first' | 'last';
      readonly column: { table: string; column: string };
      readonly per: readonly { table: string; column: string }[];
      /** Ids of the axes that the context had. */
      readonly ids: readonly number[];
    };
interface Context {
  readonly axes: readonly Axis[];
  readonly steps: readonly Step[];
  readonly via: readonly string[];
  readonly repeat: boolean;
}
type Members = ReadonlyMap<number, Value>;

/**
 * Answers a question as the language page tells it, cell by cell and row by row: no index, no grouping, no
 * plan. It shares with the evaluators only what concerns the model alone (checked formulas, reach) and scalar
 * operations.
 */
export class Reference {
  private readonly tables = new Map<string, Row[]>();
  private axisCount = 0;

  constructor(
    private readonly world: World,
    readonly checker: FormulaChecker,
    private readonly today: number,
  ) {
    for (const table of world.model.tables) {
      this.tables.set(
        table.name,
        (world.rows[table.name] ?? []).map((cells) =>
          Object.fromEntries(
            table.columns
              .filter((c) => c.formula === undefined)
              .map((c) => [c.name, fromJson(cells[c.name] ?? null, parseType(c.type) ?? TEXT) ?? null]),
          ),
        ),
      );
    }
  }

  answer(query: PlainQuery): { rows: unknown[][]; totals?: unknown[] } {
    const members = (query.by ?? []).map((path) => {
      const { table, column } = this.checker.names.path(path as string)!;
      return this.axis(table.name, column.name, undefined);
    });
    const apart = query.unmatched === 'apart';
    const meetings = apart
      ? members.map((axis): Axis => ({ ...axis, id: this.axisCount++, meets: true }))
      : [];
    const free = [...members, ...meetings];
    const steps = (query.filters ?? []).map((filter): Step => ({
      kind: 'condition',
      condition: this.filter(filter, apart),
    }));
    const context: Context = { axes: free, steps, via: [], repeat: false };
    const nodes = query.measures.map((name): Typed => ({
      kind: 'measure',
      name,
      type: this.checker.measure(name)!.typed!.type,
      span: { start: 0, end: 0 },
    }));
    const reached = nodes.map((node) => !this.isUnreached(node, context));
    const cells =
      free.length === 0
        ? [new Map<number, Value>()]
        : this.cells(
            query,
            nodes.filter((_, i) => reached[i]),
            context,
          );
    const shown = (value: Value, type: DataType | null) => toJson(value, type ?? TEXT);
    const typeOf = (axis: Axis) => parseType(this.checker.names.column(axis.table, axis.column)!.type)!;
    const sorted = cells.sort((a, b) =>
      members
        .flatMap((axis, i) => [axis, ...(apart ? [meetings[i]!] : [])])
        .reduce((order, axis) => order || compareValues(a.get(axis.id)!, b.get(axis.id)!), 0),
    );
    const values = (members: Members, axes: readonly Axis[]) => {
      const fixed = { ...context, axes: axes.map((axis) => ({ ...axis, value: members.get(axis.id)! })) };
      return nodes.map((node, i) => shown(reached[i] ? this.evaluate(node, fixed) : null, node.type));
    };
    return {
      rows: sorted.map((of) => [
        ...members.map(
          (axis, i) =>
            (apart
              ? [undefined, { null: true }, { unmatched: true }][of.get(meetings[i]!.id) as number]
              : undefined) ?? shown(of.get(axis.id)!, typeOf(axis)),
        ),
        ...values(of, free),
      ]),
      ...(query.totals
        ? {
            totals: nodes.map((node) =>
              shown(
                this.isUnreached(node, { ...context, axes: [] })
                  ? null
                  : this.evaluate(node, { ...context, axes: [] }),
                node.type,
              ),
            ),
          }
        : {}),
    };
  }

  private axis(table: string, column: string, value: Value | undefined): Axis {
    return { id: this.axisCount++, name: `${table}.${column}`, table, column, value };
  }

  private filter(filter: NonNullable<PlainQuery['filters']>[number], apart: boolean): Condition {
    if ('where' in filter) {
      const typed = this.checker.condition(filter.where).typed!;
      return { kind: 'formula', typed, columns: columnsOf(typed) };
    }
    if ('column' in filter) {
      const { table, column } = this.checker.names.path(filter.column)!;
      const plain = filter.in.filter((m) => m === null || typeof m !== 'object');
      const list = plain.map((m) => (m === null ? null : fromJson(m, parseType(column.type)!)!));
      const meets = filter.in.flatMap((m) =>
        m === null || typeof m !== 'object' ? [] : 'null' in m ? [1] : [2],
      );
      const all = filter.in.includes(null) && !apart;
      const operand: Typed = {
        kind: 'column',
        table: table.name,
        column: column.name,
        type: parseType(column.type)!,
        span: { start: 0, end: 0 },
      };
      const either = list.map((value): Typed => ({
        ...(value === null
          ? { kind: 'is-null' as const, operand, not: false }
          : {
              kind: 'compare' as const,
              operator: '=' as const,
              left: operand,
              right: { kind: 'constant' as const, value, type: operand.type, span: operand.span },
            }),
        type: { kind: 'boolean' },
        span: operand.span,
      }));
      const none: Typed = { kind: 'constant', value: false, type: { kind: 'boolean' }, span: operand.span };
      const typed = either.reduce(
        (left, right): Typed => ({
          kind: 'logic',
          operator: 'or',
          left,
          right,
          type: { kind: 'boolean' },
          span: operand.span,
        }),
        none,
      );
      return {
        kind: 'formula',
        typed,
        meets: all ? [1, 2] : meets,
        columns: [{ table: table.name, column: column.name }],
      };
    }
    const calendar = this.world.model.calendars![0]!;
    const known = this.knownDays(calendar.table);
    const period = parsePeriod(filter.period).period!;
    const days =
      known.includes(this.today) || period.kind !== 'same'
        ? [this.today]
        : known.filter((d) => d <= this.today);
    return this.daysCondition(calendar.table, period, days);
  }

  private daysCondition(calendarTable: string, period: PeriodShape, days: readonly number[]): Condition {
    const calendar = this.world.model.calendars!.find((c) => sameName(c.table, calendarTable))!;
    const known = this.knownDays(calendar.table);
    const belongs =
      days.length === 0 ? () => false : periodDays(period, days, known, calendar.fiscalYear?.firstMonth ?? 1);
    return {
      kind: 'days',
      calendar: calendar.table,
      columns: [{ table: calendar.table, column: calendar.day }],
      days: new Set(known.filter(belongs)),
    };
  }

  private knownDays(calendarTable: string): number[] {
    const calendar = this.world.model.calendars!.find((c) => sameName(c.table, calendarTable))!;
    const days = this.tables.get(calendar.table)!.map((row) => row[calendar.day]);
    return [...new Set(days.filter((d): d is number => typeof d === 'number'))].sort((a, b) => a - b);
  }

  // ---------- rows ----------

  private follow(row: Row | null, path: Path): Row | null {
    return path.reduce<Row | null>((at, r) => {
      if (!at) return null;
      const wanted = r.from.columns.map((name) => this.column(r.from.table, at, name));
      if (wanted.includes(null)) return null;
      return (
        this.tables
          .get(this.table(r.to.table).name)!
          .find((other) =>
            r.to.columns.every((name, i) => this.column(r.to.table, other, name) === wanted[i]),
          ) ?? null
      );
    }, row);
  }

  private table(name: string): Table {
    return this.checker.names.table(name)!;
  }

  /** A value of a row; derived columns are worked out each time. */
  private column(tableName: string, row: Row | null, name: string): Value {
    if (!row) return null;
    const table = this.table(tableName);
    const column = this.checker.names.column(table, name)!;
    if (column.formula === undefined) return row[column.name] ?? null;
    const { typed } = this.checker.column(table, column.name, column.formula, parseType(column.type)!);
    return compileScalar(typed!, (leaf) => () => this.rowLeaf(table, row, leaf))(0);
  }

  private rowLeaf(table: Table, row: Row, leaf: Typed): Value {
    const lookup = (other: string) => this.follow(row, this.checker.reach.lookup(table.name, other, [])!);
    if (leaf.kind === 'column') return this.column(leaf.table, lookup(leaf.table), leaf.column);
    if (leaf.kind !== 'aggregate') throw new TypeError(leaf.kind);
    const owner = lookup(leaf.owner!);
    if (!owner) return null;
    const path = this.checker.reach.lookup(leaf.base, leaf.owner!, [])!;
    const own = this.tables.get(this.table(leaf.base).name)!.filter((r) => this.follow(r, path) === owner);
    return this.aggregateOf(
      leaf,
      own.map((r) => ({ row: r, met: new Map() })),
      [],
    );
  }

  private reached(entry: Entry, base: string, table: string, via: readonly string[]): Row | null {
    const route = this.checker.reach.route(base, table, via)!;
    if (route.kind === 'ambiguous') throw new TypeError('ambiguous');
    return this.follow(route.kind === 'lookup' ? entry.row : entry.met.get(keyOf(route))!, route.path);
  }

  /**
   * How an entry meets a table: 0 found a row, 1 the first reference on the way is null, 2 one has no
   * partner.
   */
  private meeting(entry: Entry, base: string, table: string, via: readonly string[]): number {
    if (this.reached(entry, base, table, via)) return 0;
    const route = this.checker.reach.route(base, table, via)!;
    if (route.kind === 'ambiguous') throw new TypeError('ambiguous');
    const hops =
      route.kind === 'lookup'
        ? route.path
        : route.kind === 'bridge'
          ? route.anchor
          : [...route.anchor, route.entry];
    const isMet = hops.length === 0 && route.kind === 'bridge';
    const [hop, row] = isMet ? [route.path[0], entry.met.get(keyOf(route)) ?? null] : [hops[0], entry.row];
    if (!hop || !row) return 2;
    return hop.from.columns.some((name) => this.column(hop.from.table, row, name) === null) ? 1 : 2;
  }

  private passes(
    { typed, meets, columns }: Condition,
    entry: Entry,
    base: string,
    via: readonly string[],
  ): boolean {
    const how = meets ? this.meeting(entry, base, columns[0]!.table, via) : 0;
    return how === 0 ? this.formula(typed!, entry, base, via) === true : meets!.includes(how);
  }

  private formula(typed: Typed, entry: Entry, base: string, via: readonly string[]): Value {
    return compileScalar(typed, (leaf) => () => {
      if (leaf.kind === 'column')
        return this.column(leaf.table, this.reached(entry, base, leaf.table, via), leaf.column);
      throw new TypeError(leaf.kind);
    })(0);
  }

  /** The entries of a base table that a context leaves. */
  private entries(base: string, context: Context): Entry[] {
    const reaches = (c: { table: string; column: string }) => columnReaches(this, base, c, context.via);
    const axes = context.repeat ? context.axes.filter(reaches) : context.axes;
    const steps = context.repeat
      ? context.steps.filter(
          (s) => s.kind === 'at' || unreachedOf(this, s.condition, base, context.via).length === 0,
        )
      : context.steps;
    let entries: Entry[] = this.tables.get(this.table(base).name)!.map((row) => ({ row, met: new Map() }));
    const named = [
      ...axes.map((a) => a.table),
      ...steps.flatMap((s) => (s.kind === 'condition' ? s.condition.columns.map((c) => c.table) : [])),
    ];
    const throughs = new Map<string, Through>();
    for (const table of named) {
      const route = this.checker.reach.route(base, table, context.via);
      if (route?.kind === 'bridge' || route?.kind === 'many-to-many') throughs.set(keyOf(route), route);
    }
    for (const [key, route] of throughs)
      entries = entries.flatMap((e) =>
        this.metBy(e, route).map((row) => ({ row: e.row, met: new Map([...e.met, [key, row]]) })),
      );
    const member = (e: Entry, c: { table: string; column: string; meets?: true }) =>
      this.memberOf(e, base, c, context.via);
    const ofMembers = (own: readonly Axis[]) => {
      for (const axis of own)
        if (axis.value !== undefined) entries = entries.filter((e) => member(e, axis) === axis.value);
    };
    for (const step of steps) {
      if (step.kind === 'at') {
        // Members that a per within has set come after it.
        const before = axes.filter((axis) => step.ids.includes(axis.id));
        ofMembers(before);
        const parts = [...before.filter((axis) => axis.value === undefined), ...step.per];
        entries = ends(
          entries,
          step.which,
          (e) => member(e, step.column),
          (e) => JSON.stringify(parts.map((c) => [typeof member(e, c), String(member(e, c))])),
        );
      } else if (step.condition.kind === 'formula')
        entries = entries.filter((e) => this.passes(step.condition, e, base, context.via));
      else entries = entries.filter((e) => this.inDays(step.condition, e, base, context.via));
    }
    ofMembers(axes);
    return entries;
  }

  private metBy(entry: Entry, route: Through): (Row | null)[] {
    const [near, far] =
      route.kind === 'bridge' ? [route.entry.to, route.entry.from] : [route.entry.from, route.entry.to];
    const at = this.follow(entry.row, route.anchor);
    const wanted = near.columns.map((name) => this.column(near.table, at, name));
    const partners = wanted.includes(null)
      ? []
      : this.tables
          .get(this.table(far.table).name)!
          .filter((row) => far.columns.every((name, i) => this.column(far.table, row, name) === wanted[i]));
    return partners.length === 0 ? [null] : partners;
  }

  private inDays(condition: Condition, entry: Entry, base: string, via: readonly string[]): boolean {
    const path = this.checker.reach.lookup(base, condition.calendar!, via)!;
    const calendar = this.world.model.calendars!.find((c) => sameName(c.table, condition.calendar!))!;
    const at = path.findIndex((r) => cardinalityOf(r) === 'many-to-level');
    const isKept = (row: Row | null) =>
      row !== null &&
      typeof row[calendar.day] === 'number' &&
      condition.days!.has(row[calendar.day] as number);
    if (at < 0) return isKept(this.follow(entry.row, path));
    const level = path[at]!;
    const from = this.follow(entry.row, path.slice(0, at));
    const wanted = level.from.columns.map((name) => this.column(level.from.table, from, name));
    const days = this.tables
      .get(calendar.table)!
      .filter((row) => level.to.columns.every((name, i) => wanted[i] !== null && row[name] === wanted[i]));
    return days.length > 0 && days.every(isKept);
  }

  // ---------- aggregates ----------

  private aggregateOf(node: TypedAggregate, entries: readonly Entry[], via: readonly string[]): Value {
    const once = entries.filter((e, i) => entries.findIndex((other) => other.row === e.row) === i);
    const kept = node.filter
      ? once.filter((e) => this.formula(node.filter!, e, node.base, via) === true)
      : once;
    if (!node.arg) return kept.length;
    const value = (typed: Typed) => (e: Entry) => this.formula(typed, e, node.base, via);
    return aggregated(
      node.aggregate,
      node.distinct,
      kept.map(value(node.arg)),
      node.arg.type,
      node.by ? kept.map(value(node.by)) : [],
    );
  }

  evaluate(node: Typed, context: Context): Value {
    return compileScalar(node, (leaf) => () => this.leaf(leaf, context))(0);
  }

  private leaf(node: Typed, context: Context): Value {
    switch (node.kind) {
      case 'aggregate':
        if (!context.repeat && unreachedColumns(this, context, node.base).length > 0) return null;
        if (node.filter) {
          const condition: Condition = {
            kind: 'formula',
            typed: node.filter,
            columns: columnsOf(node.filter),
          };
          const { filter: _taken, ...plain } = node;
          return this.leaf(plain, {
            ...context,
            steps: [...context.steps, { kind: 'condition', condition }],
          });
        }
        return this.aggregateOf(node, this.entries(node.base, context), context.via);
      case 'measure': {
        const { typed, repeat } = this.measure(node.name);
        return this.evaluate(typed, { ...context, repeat: context.repeat || repeat });
      }
      case 'step':
        return this.evaluate(node.operand, context);
      case 'per': {
        const free = node.columns.map((c) => this.axis(c.table, c.column, undefined));
        const found = distinct(this.list(node.arg, { ...context, axes: [...context.axes, ...free] }), free);
        const values = found.map((m) =>
          this.evaluate(node.arg, {
            ...context,
            axes: [...context.axes, ...free.map((axis) => ({ ...axis, value: m.get(axis.id)! }))],
          }),
        );
        return aggregated(node.aggregate, false, values, node.arg.type, []);
      }
      case 'context': {
        const { words } = node;
        let inner = dropped(
          words.via ? { ...context, via: [...context.via, ...words.via] } : context,
          words,
          this.checker.reach,
        );
        if (words.over) inner = this.over(words.over, inner);
        const steps: Step[] = [...inner.steps];
        if (words.where)
          steps.push({
            kind: 'condition',
            condition: { kind: 'formula', typed: words.where, columns: columnsOf(words.where) },
          });
        if (words.at) steps.push({ kind: 'at', ...words.at, ids: inner.axes.map((a) => a.id) });
        return this.evaluate(node.operand, { ...inner, steps });
      }
      default:
        throw new TypeError(node.kind);
    }
  }

  private measure(name: string): { typed: Typed; repeat: boolean } {
    return {
      typed: this.checker.measure(name)!.typed!,
      repeat: this.checker.names.measure(name)!.unreached === 'repeat',
    };
  }

  private over(over: { period: PeriodShape; calendar: string }, context: Context): Context {
    const { reach } = this.checker;
    const isOwn = (s: Step) =>
      s.kind === 'condition' && isOnCalendar(s.condition.columns, over.calendar, reach);
    const axes = context.axes.filter((axis) => isOnCalendar([axis], over.calendar, reach));
    const calendar = this.world.model.calendars!.find((c) => sameName(c.table, over.calendar))!;
    let days: number[];
    if (axes.length === 0 && !context.steps.some(isOwn))
      days =
        over.period.kind === 'same'
          ? this.knownDays(calendar.table).filter((d) => d <= this.today)
          : [this.today];
    else {
      const left = this.entries(calendar.table, {
        axes,
        steps: context.steps.filter(isOwn),
        via: [],
        repeat: false,
      });
      const all = left
        .map((e) => e.row[calendar.day])
        .filter(
          (d): d is number =>
            typeof d === 'number' && !(this.world.model.asOf !== undefined && d > this.today),
        );
      days = [...new Set(all)].sort((a, b) => a - b);
    }
    const condition = this.daysCondition(calendar.table, over.period, days);
    return {
      ...context,
      axes: context.axes.filter((a) => !axes.includes(a)),
      steps: [{ kind: 'condition', condition }, ...context.steps.filter((s) => !isOwn(s))],
    };
  }

  // ---------- cells ----------

  private cells(query: PlainQuery, nodes: readonly Typed[], context: Context): Members[] {
    const all = nodes.flatMap((node) => this.list(node, context));
    if (query.empty === 'show') {
      const tables = [...new Set(context.axes.map((a) => a.table))];
      const bases =
        tables.length === 1
          ? tables
          : this.world.model.tables
              .filter(
                (t) =>
                  t.role === 'fact' && unreachedColumns(this, { ...context, steps: [] }, t.name).length === 0,
              )
              .map((t) => t.name);
      for (const base of bases) all.push(...this.members(base, { ...context, repeat: true }));
    }
    return distinct(all, context.axes);
  }

  private memberOf(
    e: Entry,
    base: string,
    c: { table: string; column: string; meets?: true },
    via: readonly string[],
  ): Value {
    if (c.meets) return this.meeting(e, base, c.table, via);
    return this.column(c.table, this.reached(e, base, c.table, via), c.column);
  }

  private members(base: string, context: Context): Members[] {
    return this.entries(base, context).map(
      (e) =>
        new Map(
          context.axes
            .filter((a) => a.value === undefined)
            .map((a) => [a.id, this.memberOf(e, base, a, context.via)]),
        ),
    );
  }

  private list(node: Typed, context: Context): Members[] {
    switch (node.kind) {
      case 'aggregate':
        return unreachedColumns(this, context, node.base).length > 0 ? [] : this.members(node.base, context);
      case 'measure':
        return this.list(this.measure(node.name).typed, context);
      case 'per':
        return this.list(node.arg, context);
      case 'context': {
        const via = node.words.via ? { ...context, via: [...context.via, ...node.words.via] } : context;
        return node.words.over
          ? this.listOver(node.words.over, node.operand, via)
          : this.list(node.operand, via);
      }
      default:
        return operandsOf(node).flatMap((child) => this.list(child, context));
    }
  }

  private listOver(
    over: { period: PeriodShape; calendar: string },
    operand: Typed,
    context: Context,
  ): Members[] {
    const { reach } = this.checker;
    const free = context.axes.filter((a) => a.value === undefined && isOnCalendar([a], over.calendar, reach));
    const own = context.steps.filter(
      (s) => s.kind === 'condition' && isOnCalendar(s.condition.columns, over.calendar, reach),
    );
    const fixed = context.axes.filter(
      (a) => a.value !== undefined && isOnCalendar([a], over.calendar, reach),
    );
    const combinations =
      free.length === 0
        ? [new Map<number, Value>()]
        : distinct(
            this.members(over.calendar, { axes: [...fixed, ...free], steps: own, via: [], repeat: false }),
            free,
          );
    return combinations.flatMap((members) => {
      const axes = context.axes.map((a) => (free.includes(a) ? { ...a, value: members.get(a.id)! } : a));
      return this.list(operand, this.over(over, { ...context, axes })).map(
        (rest) => new Map([...rest, ...members]),
      );
    });
  }

  private isUnreached(node: Typed, context: Context): boolean {
    switch (node.kind) {
      case 'aggregate':
        return !context.repeat && unreachedColumns(this, context, node.base).length > 0;
      case 'measure': {
        const { typed, repeat } = this.measure(node.name);
        return this.isUnreached(typed, { ...context, repeat: context.repeat || repeat });
      }
      case 'per':
        return this.isUnreached(node.arg, {
          ...context,
          axes: [...context.axes, ...node.columns.map((c) => this.axis(c.table, c.column, undefined))],
        });
      case 'context': {
        const { words } = node;
        let inner = dropped(
          words.via ? { ...context, via: [...context.via, ...words.via] } : context,
          words,
          this.checker.reach,
        );
        if (words.over)
          inner = this.over(words.over, {
            ...inner,
            axes: inner.axes.map((a) => ({ ...a, value: a.value ?? null })),
          });
        const where: Step[] = words.where
          ? [
              {
                kind: 'condition',
                condition: { kind: 'formula', typed: words.where, columns: columnsOf(words.where) },
              },
            ]
          : [];
        return this.isUnreached(node.operand, { ...inner, steps: [...inner.steps, ...where] });
      }
      default:
        return operandsOf(node).some((child) => this.isUnreached(child, context));
    }
  }
}

const keyOf = (route: Through): string =>
  `${route.kind} ${route.entry.name} ${route.anchor.map((r) => r.name).join(' ')}`;

function distinct(all: readonly Members[], axes: readonly Axis[]): Members[] {
  const free = axes.filter((a) => a.value === undefined);
  const seen = new Map(
    all.map((m) => [JSON.stringify(free.map((a) => [typeof m.get(a.id), String(m.get(a.id))])), m]),
  );
  return [...seen.values()];
}

function ends(
  entries: Entry[],
  which: 'first' | 'last',
  value: (e: Entry) => Value,
  group: (e: Entry) => string,
): Entry[] {
  const best = new Map<string, Value>();
  for (const e of entries) {
    const [v, g] = [value(e), group(e)];
    if (v === null) continue;
    const held = best.get(g);
    if (held === undefined || (which === 'last' ? compareValues(v, held) > 0 : compareValues(v, held) < 0))
      best.set(g, v);
  }
  return entries.filter((e) => value(e) !== null && compareValues(value(e), best.get(group(e))!) === 0);
}

/** An aggregate over a list of values; `by` has the moments of latest and earliest. */
function aggregated(
  name: string,
  isDistinct: boolean,
  all: readonly Value[],
  type: DataType | null,
  by: readonly Value[],
): Value {
  if (name === 'latest' || name === 'earliest') {
    const way = name === 'latest' ? 1 : -1;
    let best = -1;
    all.forEach((value, i) => {
      if (by[i] === null) return;
      if (best < 0) return void (best = i);
      const order = compareValues(by[i]!, by[best]!) * way;
      if (
        order > 0 ||
        (order === 0 && value !== null && (all[best] === null || compareValues(value, all[best]!) * way > 0))
      )
        best = i;
    });
    return best < 0 ? null : all[best]!;
  }
  const filled = all.filter((v) => v !== null);
  const values = isDistinct ? [...new Set(filled)] : filled;
  if (name === 'count') return values.length;
  if (name === 'only') return new Set(values).size === 1 ? values[0]! : null;
  if (values.length === 0) return null;
  if (name === 'min' || name === 'max')
    return values.reduce((a, b) => (compareValues(b, a) * (name === 'max' ? 1 : -1) > 0 ? b : a));
  if (name === 'sum')
    return values.reduce((a, b) =>
      isExact(type!) ? add(a as Exact, b as Exact) : (a as number) + (b as number),
    );
  const numbers = values.map((v) => toDouble(v as Exact, scaleOf(type!)));
  const mean = numbers.reduce((a, b) => a + b, 0) / numbers.length;
  if (name === 'avg') return mean;
  if (name === 'median') {
    numbers.sort((a, b) => a - b);
    const middle = numbers.length >> 1;
    return numbers.length % 2 === 1 ? numbers[middle]! : (numbers[middle - 1]! + numbers[middle]!) / 2;
  }
  const divisor = name.endsWith('_samp') ? numbers.length - 1 : numbers.length;
  if (divisor === 0) return null;
  // All alike is 0, not nearly 0.
  const variance = numbers.every((x) => x === numbers[0])
    ? 0
    : numbers.reduce((sum, x) => sum + (x - mean) ** 2, 0) / divisor;
  return name.startsWith('stddev') ? Math.sqrt(variance) : variance;
}
