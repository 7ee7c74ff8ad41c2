import type { DataType } from '../values/index.ts';
import { DATE, INTEGER, parseType, TEXT } from '../values/index.ts';
import type { Measure, Query, Table } from '../model/index.ts';
import { sameName } from '../model/index.ts';
import type { Typed, TypedAggregate } from '../formula/index.ts';
import { operandsOf } from '../formula/index.ts';
import type { PeriodShape } from '../calendar/index.ts';
import type { Path } from '../relate/index.ts';
import {
  emptyBases,
  entered,
  filterAsCondition,
  isOnCalendar,
  measureContext,
  restricted,
  unreachedBy,
  unreachedColumns,
  withCondition,
} from '../query/index.ts';
import { aggregateSql, groupedSql, whereSql } from './aggregate.ts';
import type { SqlAxis, SqlCondition, SqlContext, SqlStep } from './context.ts';
import { From } from './from.ts';
import { periodSql } from './period.ts';
import { scalarSql } from './scalar.ts';
import { Scans } from './scans.ts';
import { StatementText } from './statement.ts';

/** Groups of a base table's rows: a relation of their keys and of aggregates. */
interface Gathered {
  readonly name: string;
  readonly keys: readonly { readonly sql: string; readonly name: string }[];
  /** The column that holds an aggregate; undefined for one that needs a pass of its own. */
  value(node: TypedAggregate): string | undefined;
}

/**
 * Measures of one statement: the cells in which they have rows, and relations of their values by cell; the
 * same contexts as those of the columns evaluator.
 */
export abstract class MeasureSql extends StatementText {
  private readonly aggregates = new Map<TypedAggregate, { name: string; keys: readonly string[] }>();
  private readonly measures = new Map<SqlContext, Map<string, string>>();
  protected readonly scans = new Scans(this);

  protected columnAxis(table: string, column: string, id = this.fresh('k')): SqlAxis {
    return { id, name: `${table}.${column}`, type: this.typeOf(table, column), table, column, key: column };
  }

  protected typeOf(table: string, column: string): DataType {
    return parseType(this.checker.names.column(table, column)!.type) ?? TEXT;
  }

  protected tableOf(name: string): Table {
    return this.checker.names.table(name)!;
  }

  // ---------- cells ----------

  protected listed(query: Query, context: SqlContext, measures: readonly { node: Typed }[]): string {
    if (context.axes.length === 0) return this.cte('cells', 'select 1 as one');
    const selects = measures
      .filter((m) => unreachedBy(this, m.node, context).length === 0)
      .flatMap((m) => this.list(m.node, context));
    if (query.empty === 'show')
      for (const base of emptyBases(this, context))
        selects.push(this.groups({ ...context, repeat: true }, base));
    if (selects.length === 0) selects.push(this.noRows(context.axes));
    return this.cte('cells', [...new Set(selects)].join('\n  union '));
  }

  /**
   * Selects whose union is the cells in which an aggregate of the measure has rows; `ignoring`, `given`,
   * `where`, `at` and `filter` do not count.
   */
  private list(node: Typed, context: SqlContext): string[] {
    switch (node.kind) {
      case 'aggregate':
        return unreachedColumns(this, context, node.base).length > 0 ? [] : [this.groups(context, node.base)];
      case 'measure': {
        const { typed, measure } = this.measureTree(node.name);
        return this.list(typed, measureContext(context, { via: measure.via }));
      }
      case 'per':
        return this.list(node.arg, context);
      case 'context': {
        const { words } = node;
        const via = words.via ? { ...context, via: [...context.via, ...words.via] } : context;
        return this.list(node.operand, words.over ? this.overContext(words.over, via) : via);
      }
      default:
        return operandsOf(node).flatMap((child) => this.list(child, context));
    }
  }

  protected noRows(axes: readonly SqlAxis[]): string {
    return `select ${axes.map((a) => `${this.dialect.nullOf(this.keyType(a))} as ${a.id}`).join(', ')} where 1 = 0`;
  }

  protected keyType(axis: SqlAxis): DataType {
    return axis.composite || axis.meets || axis.rest ? INTEGER : this.typeOf(axis.table, axis.key);
  }

  private groups(context: SqlContext, base: string): string {
    const gathered = this.gathered(context, base);
    if (gathered && gathered.keys.length > 0) {
      const has = (axis: SqlAxis) => gathered.keys.some((key) => key.name === axis.id);
      return `select ${this.keysOf(context)
        .map((axis) => `${has(axis) ? axis.id : this.dialect.nullOf(this.keyType(axis))} as ${axis.id}`)
        .join(', ')} from ${gathered.name}`;
    }
    const { from, where, keys } = this.scans.scan(context, base);
    return `select distinct ${this.keysOf(context)
      .map((axis) => `${keys.get(axis.id) ?? this.dialect.nullOf(this.keyType(axis))} as ${axis.id}`)
      .join(', ')} from ${from.sql}${whereSql(where)}`;
  }

  // ---------- one pass for several aggregates ----------

  private readonly gathers = new Map<string, Gathered | undefined>();
  private readonly numbers = new WeakMap<object, number>();
  private lastNumber = 0;

  /**
   * The groups of a base table's rows in a context, with the aggregates that were asked for: one pass over
   * the rows serves the cells and all of them. Undefined where rows stand several times.
   */
  private gathered(context: SqlContext, base: string): Gathered | undefined {
    const key = this.nameOfContext(context, base);
    if (!this.gathers.has(key)) this.gathers.set(key, this.gather(context, base));
    return this.gathers.get(key);
  }

  private nameOfContext(context: SqlContext, base: string): string {
    const numberOf = (part: object) => {
      let number = this.numbers.get(part);
      if (number === undefined) this.numbers.set(part, (number = ++this.lastNumber));
      return number;
    };
    const { axes, steps, via, repeat } = context;
    return JSON.stringify([base.toLowerCase(), axes.map(numberOf), steps.map(numberOf), via, repeat]);
  }

  private gather(context: SqlContext, base: string): Gathered | undefined {
    const scan = this.scans.scan(context, base);
    if (scan.throughs.length > 0) return undefined;
    const keys = this.keysOf(context)
      .filter((axis) => scan.keys.has(axis.id))
      .map((axis) => ({ sql: scan.keys.get(axis.id)!, name: axis.id }));
    const columns: string[] = [];
    const { name, before } = this.lateCte('a', () => {
      const values = columns.map((sql, i) => `${sql} as a${i}`);
      const listed = [...keys.map((k) => `${k.sql} as ${k.name}`), ...values];
      const group = keys.length === 0 ? '' : `\n    group by ${keys.map((_, i) => i + 1).join(', ')}`;
      return `select ${listed.join(', ') || '1 as one'} from ${scan.from.sql}${whereSql(scan.where)}${group}`;
    });
    const value = (node: TypedAggregate): string | undefined => {
      if (node.filter || node.by) return undefined;
      const sql = before(() => {
        const arg = node.arg && { sql: scan.from.formula(node.arg), type: node.arg.type ?? TEXT };
        return aggregateSql(node.aggregate, node.distinct, arg, this.dialect);
      });
      if (sql === undefined) return undefined;
      const known = columns.indexOf(sql);
      if (known < 0) columns.push(sql);
      return `a${known < 0 ? columns.length - 1 : known}`;
    };
    return { name, keys, value };
  }

  // ---------- values ----------

  protected measureTree(name: string): { typed: Typed; measure: Measure } {
    return { typed: this.checker.measure(name)!.typed!, measure: this.checker.names.measure(name)! };
  }

  /**
   * All axes by which values in a context differ: its own, and those that its days stand for. In one order,
   * since unions go by position.
   */
  protected keysOf(context: SqlContext): SqlAxis[] {
    const days = context.steps.flatMap((step) =>
      step.kind === 'condition' && step.condition.kind === 'days' ? step.condition.keys : [],
    );
    return [...context.axes, ...days].sort((a, b) => (a.id < b.id ? -1 : 1));
  }

  protected names(axes: readonly SqlAxis[], prefix = ''): string {
    return axes.map((axis) => `${prefix}${axis.id}, `).join('');
  }

  protected matched(a: string, b: string, axes: readonly SqlAxis[]): string {
    return axes.length === 0
      ? '1 = 1'
      : axes
          .map((axis) => this.dialect.same(`${a}.${axis.id}`, `${b}.${axis.id}`, this.keyType(axis)))
          .join(' and ');
  }

  /** A relation of the context's keys and `v`, with a row for each of the cells. */
  protected values(node: Typed, context: SqlContext, cells: string): string {
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
    }
    const keys = this.keysOf(context);
    const leaves: string[] = [];
    const sql = scalarSql(node, this, (leaf) => {
      leaves.push(this.values(leaf, context, cells));
      return `l${leaves.length}.v`;
    });
    const joins = leaves.map(
      (leaf, i) => ` join ${leaf} l${i + 1} on ${this.matched('c', `l${i + 1}`, keys)}`,
    );
    return this.cte('v', `select ${this.names(keys, 'c.')}${sql} as v from ${cells} c${joins.join('')}`);
  }

  private measure(name: string, context: SqlContext, cells: string): string {
    let known = this.measures.get(context);
    if (!known) this.measures.set(context, (known = new Map()));
    const key = `${name.toLowerCase()}\n${cells}`;
    let relation = known.get(key);
    if (!relation) {
      const { typed, measure } = this.measureTree(name);
      relation = this.values(typed, measureContext(context, measure), cells);
      known.set(key, relation);
    }
    return relation;
  }

  private aggregate(
    node: TypedAggregate & { type: DataType | null },
    context: SqlContext,
    cells: string,
  ): string {
    const keys = this.keysOf(context);
    const apart = filterAsCondition(node, context.via, this.checker.reach);
    if (apart)
      return this.aggregate(
        { ...apart.plain, type: node.type },
        withCondition(context, apart.condition),
        cells,
      );
    if (!context.repeat && unreachedColumns(this, context, node.base).length > 0)
      return this.cte(
        'v',
        `select ${this.names(keys, 'c.')}${this.dialect.nullOf(node.type ?? TEXT)} as v from ${cells} c`,
      );
    const gathered = this.gathered(context, node.base);
    const column = gathered?.value(node);
    if (gathered && column !== undefined) {
      const reached = keys.filter((axis) => gathered.keys.some((key) => key.name === axis.id));
      return this.overCells(node.aggregate, keys, reached, gathered.name, cells, column);
    }
    const scan = this.scans.once(this.scans.scan(context, node.base), node.base, context.via);
    const reached = keys.filter((axis) => scan.keys.has(axis.id));
    const groups = this.cte(
      'g',
      this.grouped(
        node,
        scan.from,
        scan.where,
        reached.map((axis) => ({ sql: scan.keys.get(axis.id)!, name: axis.id })),
      ),
    );
    return this.overCells(node.aggregate, keys, reached, groups, cells);
  }

  private grouped(
    node: TypedAggregate,
    from: From,
    where: readonly string[],
    keys: readonly { sql: string; name: string }[],
  ): string {
    const arg = node.arg ? { sql: from.formula(node.arg), type: node.arg.type ?? TEXT } : undefined;
    const by = node.by ? { sql: from.formula(node.by), type: node.by.type ?? TEXT } : undefined;
    const filter = node.filter ? [from.formula(node.filter)] : [];
    const { aggregate, distinct } = node;
    return groupedSql(
      {
        aggregate,
        distinct,
        keys,
        ...(arg ? { arg } : {}),
        ...(by ? { by } : {}),
        from: from.sql,
        where: [...where, ...filter],
      },
      this.dialect,
    );
  }

  /** Brings groups to cells: where there is none, a count is 0 and everything else null. */
  private overCells(
    aggregate: string,
    keys: readonly SqlAxis[],
    reached: readonly SqlAxis[],
    groups: string,
    cells: string,
    column = 'v',
  ): string {
    const value = aggregate === 'count' ? `coalesce(g.${column}, 0)` : `g.${column}`;
    return this.cte(
      'v',
      `select ${this.names(keys, 'c.')}${value} as v from ${cells} c left join ${groups} g on ${this.matched('c', 'g', reached)}`,
    );
  }

  private per(node: Extract<Typed, { kind: 'per' }>, context: SqlContext, cells: string): string {
    const keys = this.keysOf(context);
    const inner: SqlContext = {
      ...context,
      axes: [...context.axes, ...node.columns.map((c) => this.columnAxis(c.table, c.column))],
    };
    const combinations = this.combinations(node.arg, inner, context, cells);
    const values = this.values(node.arg, inner, combinations);
    const arg = { sql: 'i.v', type: node.arg.type ?? TEXT };
    const groups = this.cte(
      'g',
      groupedSql(
        {
          aggregate: node.aggregate,
          distinct: false,
          keys: keys.map((a) => ({ sql: `i.${a.id}`, name: a.id })),
          arg,
          from: `${values} i`,
          where: [],
        },
        this.dialect,
      ),
    );
    return this.overCells(node.aggregate, keys, keys, groups, cells);
  }

  /** The cells of a "per": combinations with rows within those of the context. */
  protected combinations(node: Typed, inner: SqlContext, context: SqlContext, cells: string): string {
    const keys = this.keysOf(inner);
    const selects = this.list(node, inner);
    const listed = selects.length === 0 ? this.noRows(keys) : [...new Set(selects)].join('\n  union ');
    const all = this.cte('list', listed);
    return this.cte(
      'cells',
      `select distinct ${keys.map((a) => `l.${a.id}`).join(', ')} from ${all} l join ${cells} c on ${this.matched('l', 'c', this.keysOf(context))}`,
    );
  }

  private inContext(node: Extract<Typed, { kind: 'context' }>, context: SqlContext, cells: string): string {
    const { words } = node;
    const keys = this.keysOf(context);
    const before = entered(context, words, this.checker.reach);
    const kept = this.keysOf(before);
    const own =
      kept.length === keys.length
        ? cells
        : this.cte(
            'cells',
            kept.length === 0
              ? 'select 1 as one'
              : `select distinct ${kept.map((a) => a.id).join(', ')} from ${cells}`,
          );
    const inner = restricted(words, words.over ? this.overContext(words.over, before) : before);
    const values = this.values(node.operand, inner, own);
    return this.cte(
      'v',
      `select ${this.names(keys, 'c.')}i.v from ${cells} c left join ${values} i on ${this.matched('c', 'i', kept)}`,
    );
  }

  // ---------- periods ----------

  private readonly overs = new Map<SqlContext, Map<string, SqlContext>>();

  /**
   * The context with what is on the calendar replaced by the period's days; its axes there become keys of the
   * days.
   */
  protected overContext(over: { period: PeriodShape; calendar: string }, context: SqlContext): SqlContext {
    let known = this.overs.get(context);
    if (!known) this.overs.set(context, (known = new Map()));
    const name = JSON.stringify(over);
    let made = known.get(name);
    if (!made) known.set(name, (made = this.makeOver(over, context)));
    return made;
  }

  private makeOver(over: { period: PeriodShape; calendar: string }, context: SqlContext): SqlContext {
    const { reach } = this.checker;
    const calendar = (this.model.calendars ?? []).find((c) => sameName(c.table, over.calendar))!;
    const table = this.tableOf(calendar.table);
    const axes = context.axes.filter((axis) => isOnCalendar([axis], over.calendar, reach));
    const isOwn = (step: SqlStep) =>
      step.kind === 'condition' && isOnCalendar(step.condition.columns, over.calendar, reach);
    const conditions = context.steps.flatMap((step) =>
      isOwn(step) && step.kind === 'condition' ? [step.condition] : [],
    );
    const keys = [...axes, ...conditions.flatMap((c) => (c.kind === 'days' ? c.keys : []))];
    const known = this.knownDays(calendar.table);
    const asOf = () => this.value(this.setting.today, DATE);
    let days: string;
    if (axes.length === 0 && conditions.length === 0)
      days = this.cte(
        'd',
        over.period.kind === 'same'
          ? `select day from ${known} where day <= ${asOf()}`
          : `select ${asOf()} as day`,
      );
    else {
      const scan = this.scans.scan(
        { axes, steps: context.steps.filter(isOwn), via: [], repeat: false },
        table.name,
      );
      const day = scan.from.column('b', table, calendar.day);
      const where = [
        ...scan.where,
        `${day} is not null`,
        ...(this.model.asOf === undefined ? [] : [`${day} <= ${asOf()}`]),
      ];
      const columns = keys.map((axis) => `${scan.keys.get(axis.id)!} as ${axis.id}, `).join('');
      days = this.cte(
        'd',
        `select distinct ${columns}${day} as day from ${scan.from.sql} where ${where.join(' and ')}`,
      );
    }
    const firstMonth = calendar.fiscalYear?.firstMonth ?? 1;
    // Else SQLite works it out for each row of the fact.
    const relation = this.keptCte(
      'p',
      periodSql(over.period, { days, known, keys: keys.map((k) => k.id), dialect: this.dialect, firstMonth }),
    );
    const condition: SqlCondition = {
      kind: 'days',
      calendar: calendar.table,
      columns: [{ table: calendar.table, column: calendar.day }],
      relation,
      keys,
    };
    return {
      ...context,
      axes: context.axes.filter((axis) => !axes.includes(axis)),
      steps: [{ kind: 'condition', condition }, ...context.steps.filter((step) => !isOwn(step))],
    };
  }

  private readonly calendars = new Map<string, string>();

  protected knownDays(calendarTable: string): string {
    let known = this.calendars.get(calendarTable);
    if (!known) {
      const calendar = (this.model.calendars ?? []).find((c) => sameName(c.table, calendarTable))!;
      const table = this.tableOf(calendar.table);
      const from = new From(this, table.name, 'b', `${this.rowsOf(table.name)} b`, []);
      const day = from.column('b', table, calendar.day);
      known = this.cte('days', `select distinct ${day} as day from ${from.sql} where ${day} is not null`);
      this.calendars.set(calendarTable, known);
    }
    return known;
  }

  /**
   * Grouped values of an aggregate of a row formula, by the columns through which its rows refer to their
   * owner.
   */
  referring(node: TypedAggregate, path: Path): { name: string; keys: readonly string[] } {
    const known = this.aggregates.get(node);
    if (known) return known;
    const table = this.tableOf(node.base);
    const from = new From(this, table.name, 'b', `${this.rowsOf(table.name)} b`, []);
    const last = path.at(-1);
    const near = last ? from.follow('b', path.slice(0, -1)) : 'b';
    const keys = last
      ? last.from.columns.map((name, i) => ({
          sql: from.column(near, this.tableOf(last.from.table), name),
          name: `o${i}`,
        }))
      : [{ sql: this.dialect.rowId('b'), name: 'o0' }];
    const made = { name: this.cte('own', this.grouped(node, from, [], keys)), keys: keys.map((k) => k.name) };
    this.aggregates.set(node, made);
    return made;
  }
}
