import type { DataType, Value } from '../values/index.ts';
import { DATE, formatType, INTEGER, parseType, TEXT, textReader } from '../values/index.ts';
import type { ByItem, Measure, Model, PlainFilter, PlainQuery, Query, Table } from '../model/index.ts';
import { sameName } from '../model/index.ts';
import type { Typed, TypedAggregate } from '../formula/index.ts';
import { FormulaChecker, mentionsRole, operandsOf, roledChecker } from '../formula/index.ts';
import type { PeriodShape } from '../calendar/index.ts';
import type { Path } from '../relate/index.ts';
import type { AnswerColumn, PlainAsked, Top } from '../query/index.ts';
import {
  askedFilter,
  askedMeasure,
  emptyBases,
  entered,
  filterAsCondition,
  isOnCalendar,
  levelOf,
  measureContext,
  pathOf,
  plainQuery,
  QueryError,
  restricted,
  sortedBy,
  treeKey,
  unreachedBy,
  unreachedColumns,
  withCondition,
} from '../query/index.ts';
import { groupedSql, whereSql } from './aggregate.ts';
import type { SqlDialect } from './dialect.ts';
import { quoted } from './dialect.ts';
import type { Statement } from './from.ts';
import { From, isKey } from './from.ts';
import type { SqlAxis, SqlCondition, SqlContext, SqlStep } from './context.ts';
import type { ShownAxis } from './scans.ts';
import { Scans } from './scans.ts';
import { periodSql } from './period.ts';
import { scalarSql } from './scalar.ts';

/** A query as SQL, with the values of its numbered parameters and how to read its columns. */
export interface CompiledQuery {
  readonly sql: string;
  readonly parameters: readonly { readonly value: Value; readonly type: DataType }[];
  readonly columns: readonly { readonly name: string; readonly type: DataType }[];
  /** Tables that it reads, in lower case. */
  readonly tables: ReadonlySet<string>;
  /** The last so many columns say how rows meet the table of each member, in the order of the members. */
  readonly meetings: number;
  /** The first so many columns are members. */
  readonly members: number;
}

export interface CompiledAnswer {
  readonly rows: CompiledQuery;
  readonly totals?: CompiledQuery;
  /** For each pair of prefixes a statement whose rows are those of all members, shown or not. */
  readonly subtotals?: readonly {
    readonly by: number;
    readonly across: number;
    readonly query: CompiledQuery;
  }[];
  /** Items of `by`; those of `across` come behind them. */
  readonly byCount: number;
  /** How many tuples of `by` are listed, where the statement itself does not say so. */
  readonly limit?: number;
  readonly unreached: readonly (readonly [measure: string, column: string])[];
}

/**
 * What a question rests on: a model whose formulas are checked, and the day as of which it is asked, in days
 * since 1970-01-01.
 */
export interface SqlSetting {
  readonly model: Model;
  readonly checker: FormulaChecker;
  readonly today: number;
  /**
   * Whether no two rows of a table have the same values in the columns; by default where they are its
   * declared key, which a released table enforces. Where it is false, of several partners the first is looked
   * up, as the columns engine does.
   */
  readonly isUnique?: (table: Table, columns: readonly string[]) => boolean;
}

/**
 * Compiles a query, and its totals. `exact` leaves values in canonical form, for a program to read; else they
 * are as people read them.
 */
export function compileQuery(
  asked: SqlSetting,
  query: Query,
  dialect: SqlDialect,
  exact = false,
): CompiledAnswer {
  const plain = plainQuery(asked, query);
  if (plain.top?.others)
    throw new QueryError(
      '"others" of a "top" are answered by the columns evaluator: SQL has no part of them yet; ask without them',
    );
  const { limit, ...unlimited } = plain.query;
  const whole = { ...plain, query: plain.acrossCount > 0 ? unlimited : plain.query };
  const onTheSpot = spotSetting(asked, plain.model);
  const setting = mentionsRole(onTheSpot.model, plain.query) ? roledSetting(onTheSpot) : onTheSpot;
  const compile = () => new QueryCompiler(setting, dialect, exact);
  const { rows, unreached } = compile().rows(whole);
  const totals = query.totals ? compile().totals(plain.query) : undefined;
  return {
    rows,
    ...(totals ? { totals } : {}),
    ...(query.subtotals
      ? { subtotals: prefixes(plain, unlimited).map((p) => ({ ...p, query: compile().rows(p.asked).rows })) }
      : {}),
    byCount: plain.byCount,
    ...(plain.acrossCount > 0 && limit !== undefined ? { limit } : {}),
    unreached,
  };
}

/** Every pair of a prefix of `by` and a prefix of `across`, but for the full pair and the empty one. */
function prefixes(plain: PlainAsked, query: PlainQuery): { by: number; across: number; asked: PlainAsked }[] {
  const { top: _top, ...whole } = plain;
  const { byCount, acrossCount } = plain;
  const items = query.by ?? [];
  const found: { by: number; across: number; asked: PlainAsked }[] = [];
  for (let by = 0; by <= byCount; by++)
    for (let across = 0; across <= acrossCount; across++) {
      if (by + across === 0 || (by === byCount && across === acrossCount)) continue;
      const own = [...items.slice(0, by), ...items.slice(byCount, byCount + across)];
      found.push({
        by,
        across,
        asked: {
          ...whole,
          query: { ...query, by: own, sort: [] },
          byCount: by,
          acrossCount: across,
          having: [],
        },
      });
    }
  return found;
}

/** The setting of a model with parts on the spot, or another as-of day. */
function spotSetting(asked: SqlSetting, model: Model): SqlSetting {
  if (model === asked.model) return asked;
  const today = model.asOf === asked.model.asOf ? asked.today : (textReader(DATE)(model.asOf!) as number);
  return { ...asked, model, checker: new FormulaChecker(model, asked.checker.oracle), today };
}

function roledSetting(setting: SqlSetting): SqlSetting {
  const checker = roledChecker(setting.checker);
  return { ...setting, model: checker.model, checker };
}

/** An axis beside another one: how rows meet its table. */
const meetingAxis = ({ id, name, table, column, key }: SqlAxis): SqlAxis => ({
  id: `${id}_met`,
  name,
  type: INTEGER,
  table,
  ...(column === undefined ? {} : { column }),
  key,
  meets: true,
});

class QueryCompiler implements Statement {
  readonly model: Model;
  readonly checker: FormulaChecker;
  private readonly parameters: { value: Value; type: DataType }[] = [];
  private readonly ctes: string[] = [];
  private made = 0;
  private readonly tables = new Set<string>();
  private readonly aggregates = new Map<TypedAggregate, { name: string; keys: readonly string[] }>();
  private readonly measures = new Map<SqlContext, Map<string, string>>();
  private recursive = false;
  private readonly scans = new Scans(this);

  constructor(
    private readonly setting: SqlSetting,
    readonly dialect: SqlDialect,
    private readonly exact: boolean,
  ) {
    this.model = setting.model;
    this.checker = setting.checker;
  }

  // ---------- the statement ----------

  value(value: Value, type: DataType): string {
    const known = this.parameters.findIndex(
      (p) => p.value === value && formatType(p.type) === formatType(type),
    );
    if (known < 0) this.parameters.push({ value, type });
    return this.dialect.parameter(known < 0 ? this.parameters.length : known + 1, type);
  }

  isUnique(table: Table, columns: readonly string[]): boolean {
    const stored = this.checker.names.stored(table.name)!;
    return this.setting.isUnique ? this.setting.isUnique(stored, columns) : isKey(stored, columns);
  }

  uses(table: string): void {
    this.tables.add(this.checker.names.stored(table)!.name.toLowerCase());
  }

  rowsOf(table: string): string {
    return quoted(this.checker.names.stored(table)!.name);
  }

  fresh(prefix: string): string {
    return `${prefix}${++this.made}`;
  }

  needsRecursion(): void {
    this.recursive = true;
  }

  add(cte: string): void {
    this.ctes.push(cte);
  }

  cte(prefix: string, sql: string): string {
    const name = this.fresh(prefix);
    this.ctes.push(`${name} as (\n  ${sql}\n)`);
    return name;
  }

  /** A relation that is worked out once: several parts of the statement read it. */
  private keptCte(prefix: string, sql: string): string {
    const name = this.fresh(prefix);
    this.ctes.push(`${name} as materialized (\n  ${sql}\n)`);
    return name;
  }

  private statement(select: string): string {
    return this.ctes.length === 0
      ? select
      : `with ${this.recursive ? 'recursive ' : ''}${this.ctes.join(',\n')}\n${select}`;
  }

  // ---------- a query ----------

  rows({ query, having, top, byCount, namesOf }: PlainAsked): Pick<CompiledAnswer, 'rows' | 'unreached'> {
    const context = this.contextOf(query);
    const measures = query.measures.map((name) => askedMeasure(this, name));
    const conditions = having.map(({ measure }) => askedMeasure(this, measure));
    const listed = this.listed(query, context, measures.length > 0 ? measures : conditions);
    const held = this.held(listed, context, conditions);
    const cells = top ? this.first(held, context, query, { ...top, last: byCount - 1 }) : held;
    const values = measures.map((m) => this.valueOf(m.node, context, cells));
    const joins = values.map((v, i) => ` join ${v} v${i} on ${this.matched('c', `v${i}`, context.axes)}`);
    const shown = context.axes.map((axis) => this.scans.shownAxis(axis));
    const members = context.axes.filter((axis) => !axis.meets);
    const meetings = context.axes.slice(members.length);
    const columns = [
      ...members.map((axis, i) => ({
        name: shownName(namesOf, axis),
        type: axis.type,
        sql: shown[i]!.sql,
      })),
      ...measures.map((m, i) => ({ name: m.name, type: m.type, sql: `v${i}.v` })),
      ...meetings.map((axis) => ({ name: `${axis.name}, how met`, type: INTEGER, sql: `c.${axis.id}` })),
    ];
    const order = this.order(query, { ...context, axes: members }, measures, columns, shown);
    const limit = query.limit === undefined ? '' : `\nlimit ${query.limit}`;
    const select = `select ${columns.map((c) => `${this.exact ? c.sql : this.dialect.show(c.sql, c.type)} as ${quoted(c.name)}`).join(',\n  ')}
from ${cells} c${joins.join('\n')}${shown.map((s) => s.join).join('')}${this.scans.listedMembers(context.axes)}${order}${limit}`;
    const unreached = measures.flatMap((m) =>
      unreachedBy(this, m.node, context).map(
        (c) => [m.name, namesOf.get(pathOf(c.table, c.column)) ?? `${c.table}.${c.column}`] as const,
      ),
    );
    return {
      rows: {
        sql: this.statement(select),
        parameters: this.parameters,
        columns,
        tables: this.tables,
        meetings: meetings.length,
        members: members.length,
      },
      unreached,
    };
  }

  /** The cells for which all conditions on measures are true. */
  private held(cells: string, context: SqlContext, conditions: readonly { readonly node: Typed }[]): string {
    if (conditions.length === 0) return cells;
    const values = conditions.map((m) => this.valueOf(m.node, context, cells));
    const joins = values.map((v, i) => ` join ${v} h${i} on ${this.matched('c', `h${i}`, context.axes)}`);
    const holds = values.map((_, i) => `h${i}.v`).join(' and ');
    return this.keptCte(
      'held',
      `select ${this.names(context.axes, 'c.').replace(/, $/, '')} from ${cells} c${joins.join('')} where ${holds}`,
    );
  }

  /**
   * The cells whose member of the last item of `by` is among the first by a measure, within the members of
   * other items: ranked over those items alone, ties by member, what has no value last.
   */
  private first(cells: string, context: SqlContext, query: PlainQuery, top: Top & { last: number }): string {
    const apart = query.unmatched === 'apart';
    const count = context.axes.filter((axis) => !axis.meets).length;
    const withMet = (places: readonly number[]) =>
      apart ? [...places, ...places.map((p) => count + p)] : [...places];
    const places = [...top.per, top.last];
    const axes = withMet(places).map((p) => context.axes[p]!);
    const members = places.map((p) => context.axes[p]!);
    const within = top.per.map((p) => context.axes[p]!);
    const ranked = this.keptCte(
      'ranked',
      `select distinct ${this.names(axes, 'c.').replace(/, $/, '')} from ${cells} c${this.scans.listedMembers(context.axes)}`,
    );
    const measure = askedMeasure(this, top.of);
    const value = this.valueOf(measure.node, { ...context, axes }, ranked);
    const shown = members.map((axis) => this.scans.shownAxis(axis));
    const columns = members.map((axis, i) => ({ sql: shown[i]!.sql, type: axis.type }));
    const order = [
      `${this.dialect.ordered('v.v', measure.type)} ${top.descending ? 'desc' : 'asc'} nulls last`,
      ...this.byMembers(members, columns, shown, apart),
    ];
    const partition =
      within.length > 0 ? `partition by ${within.map((axis) => `c.${axis.id}`).join(', ')} ` : '';
    const numbered = this.keptCte(
      'numbered',
      `select ${this.names(axes, 'c.')}row_number() over (${partition}order by ${order.join(', ')}) as place from ${ranked} c join ${value} v on ${this.matched('c', 'v', axes)}${shown.map((s) => s.join).join('')}`,
    );
    return this.keptCte(
      'first',
      `select ${this.names(context.axes, 'c.').replace(/, $/, '')} from ${cells} c join ${numbered} n on ${this.matched('c', 'n', axes)} where n.place <= ${top.count}`,
    );
  }

  totals(query: PlainQuery): CompiledQuery {
    const context = { ...this.contextOf(query), axes: [] };
    const measures = query.measures.map((name) => askedMeasure(this, name));
    const cells = this.cte('cells', 'select 1 as one');
    const relations = measures.map((m) => this.valueOf(m.node, context, cells));
    const columns = measures.map((m, i) => ({ name: m.name, type: m.type, sql: `${relations[i]!}.v` }));
    const select = `select ${columns.map((c) => `${this.exact ? c.sql : this.dialect.show(c.sql, c.type)} as ${quoted(c.name)}`).join(', ')}
from ${[...new Set(relations)].join(' cross join ')}`;
    return {
      sql: this.statement(select),
      parameters: this.parameters,
      columns,
      tables: this.tables,
      meetings: 0,
      members: 0,
    };
  }

  private valueOf(node: Typed, context: SqlContext, cells: string): string {
    if (unreachedBy(this, node, context).length === 0) return this.values(node, context, cells);
    return this.cte(
      'v',
      `select ${this.names(context.axes, 'c.')}${this.dialect.nullOf(node.type ?? TEXT)} as v from ${cells} c`,
    );
  }

  private contextOf(query: PlainQuery): SqlContext {
    const apart = query.unmatched === 'apart';
    const members = (query.by ?? []).map((item, i) => this.axis(item, `k${i}`));
    return {
      axes: apart ? [...members, ...members.map(meetingAxis)] : members,
      steps: (query.filters ?? []).map((filter) => ({
        kind: 'condition',
        condition: this.filter(filter, apart),
      })),
      via: [],
      repeat: false,
    };
  }

  private axis(item: ByItem, id: string): SqlAxis {
    const level = levelOf(this, item);
    if (level.kind === 'column') return this.columnAxis(level.table, level.column, id);
    if (level.kind === 'level') {
      const { shown, key, name, orderBy } = level;
      const axis = this.columnAxis(key?.table ?? shown.table, key?.column ?? shown.column, id);
      const order = orderBy ? { orderBy } : {};
      if (!key) return { ...axis, name, ...order };
      return {
        ...axis,
        name,
        column: shown.column,
        label: shown.column,
        type: this.typeOf(shown.table, shown.column),
        ...order,
      };
    }
    if (level.kind === 'composite') {
      const { name, table, keys, shown, orderBy } = level;
      return {
        id,
        name,
        type: this.typeOf(shown.table, shown.column),
        table,
        key: '',
        label: shown.column,
        composite: { keys, shown },
        ...(sameName(shown.table, table) ? { column: shown.column } : {}),
        ...(orderBy ? { orderBy } : {}),
      };
    }
    const { hierarchy, depth } = level;
    const table = this.checker.names.table(hierarchy.table)!;
    const key = treeKey(this, hierarchy);
    const label = hierarchy.label ?? key;
    return {
      id,
      name: `${hierarchy.table}.${hierarchy.name}`,
      type: this.typeOf(table.name, label),
      table: table.name,
      key,
      label,
      tree: { hierarchy, depth },
    };
  }

  private columnAxis(table: string, column: string, id = this.fresh('k')): SqlAxis {
    return { id, name: `${table}.${column}`, type: this.typeOf(table, column), table, column, key: column };
  }

  private typeOf(table: string, column: string): DataType {
    return parseType(this.checker.names.column(table, column)!.type) ?? TEXT;
  }

  private tableOf(name: string): Table {
    return this.checker.names.table(name)!;
  }

  private order(
    query: PlainQuery,
    context: SqlContext,
    measures: readonly { name: string }[],
    columns: readonly { name: string; type: DataType; sql: string }[],
    shown: readonly ShownAxis[],
  ): string {
    const asked = (query.sort ?? []).map(({ of, order }) => {
      const by = sortedBy(query, of, context.axes, measures);
      const column =
        'measure' in by
          ? columns[context.axes.length + by.measure]!
          : (shown[by.axis]!.order ?? columns[by.axis]!);
      return `${this.dialect.ordered(column.sql, column.type)} ${order === 'descending' ? 'desc' : 'asc'} nulls last`;
    });
    const all = [...asked, ...this.byMembers(context.axes, columns, shown, query.unmatched === 'apart')];
    return all.length === 0 ? '' : `\norder by ${all.join(', ')}`;
  }

  /** The order of members, ascending: what is no member last, members of one label by their keys. */
  private byMembers(
    axes: readonly SqlAxis[],
    columns: readonly { readonly sql: string; readonly type: DataType }[],
    shown: readonly ShownAxis[],
    apart: boolean,
  ): string[] {
    const members = axes.flatMap((axis, p) => [
      ...[shown[p]!.order, columns[p]!].flatMap((c) =>
        c ? [`${this.dialect.ordered(c.sql, c.type)} nulls last`] : [],
      ),
      ...(apart ? [`c.${meetingAxis(axis).id}`] : []),
    ]);
    const keys = axes.filter((axis) => axis.label !== undefined).map((axis) => `c.${axis.id} nulls first`);
    return [...members, ...keys];
  }

  // ---------- filters ----------

  private filter(filter: PlainFilter, apart: boolean): SqlCondition {
    const asked = askedFilter(this, filter, apart);
    if (asked.kind !== 'period') return asked;
    const { period, calendar } = asked;
    const known = this.knownDays(calendar.table);
    const asOf = this.value(this.setting.today, DATE);
    // The day as-of alone; where the calendar lacks it, `same period` takes all days up to it.
    const all =
      period.kind === 'same'
        ? ` union select day from ${known} where day <= ${asOf} and not exists (select 1 from ${known} where day = ${asOf})`
        : '';
    const exists = period.kind === 'same' ? ` where exists (select 1 from ${known} where day = ${asOf})` : '';
    const days = this.cte('d', `select ${asOf} as day${exists}${all}`);
    const day = { table: calendar.table, column: calendar.day };
    const relation = this.cte(
      'p',
      periodSql(period, {
        days,
        known,
        keys: [],
        dialect: this.dialect,
        firstMonth: calendar.fiscalYear?.firstMonth ?? 1,
      }),
    );
    return { kind: 'days', calendar: calendar.table, columns: [day], label: day, relation, keys: [] };
  }

  // ---------- cells ----------

  private listed(query: Query, context: SqlContext, measures: readonly { node: Typed }[]): string {
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

  private noRows(axes: readonly SqlAxis[]): string {
    return `select ${axes.map((a) => `${this.dialect.nullOf(this.keyType(a))} as ${a.id}`).join(', ')} where 1 = 0`;
  }

  private keyType(axis: SqlAxis): DataType {
    return axis.composite || axis.meets ? INTEGER : this.typeOf(axis.table, axis.key);
  }

  private groups(context: SqlContext, base: string): string {
    const { from, where, keys } = this.scans.scan(context, base);
    return `select distinct ${this.keysOf(context)
      .map((axis) => `${keys.get(axis.id) ?? this.dialect.nullOf(this.keyType(axis))} as ${axis.id}`)
      .join(', ')} from ${from.sql}${whereSql(where)}`;
  }

  // ---------- values ----------

  private measureTree(name: string): { typed: Typed; measure: Measure } {
    return { typed: this.checker.measure(name)!.typed!, measure: this.checker.names.measure(name)! };
  }

  /**
   * All axes by which values in a context differ: its own, and those that its days stand for. In one order,
   * since unions go by position.
   */
  private keysOf(context: SqlContext): SqlAxis[] {
    const days = context.steps.flatMap((step) =>
      step.kind === 'condition' && step.condition.kind === 'days' ? step.condition.keys : [],
    );
    return [...context.axes, ...days].sort((a, b) => (a.id < b.id ? -1 : 1));
  }

  private names(axes: readonly SqlAxis[], prefix = ''): string {
    return axes.map((axis) => `${prefix}${axis.id}, `).join('');
  }

  private matched(a: string, b: string, axes: readonly SqlAxis[]): string {
    return axes.length === 0
      ? '1 = 1'
      : axes.map((axis) => `${a}.${axis.id} is not distinct from ${b}.${axis.id}`).join(' and ');
  }

  /** A relation of the context's keys and `v`, with a row for each of the cells. */
  private values(node: Typed, context: SqlContext, cells: string): string {
    switch (node.kind) {
      case 'aggregate':
        return this.aggregate(node, context, cells);
      case 'measure':
        return this.measure(node.name, context, cells);
      case 'per':
        return this.per(node, context, cells);
      case 'context':
        return this.inContext(node, context, cells);
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
  ): string {
    const value = aggregate === 'count' ? 'coalesce(g.v, 0)' : 'g.v';
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
    const innerKeys = this.keysOf(inner);
    const selects = this.list(node.arg, inner);
    const listed = selects.length === 0 ? this.noRows(innerKeys) : selects.join('\n  union ');
    const all = this.cte('list', listed);
    const combinations = this.cte(
      'cells',
      `select distinct ${innerKeys.map((a) => `l.${a.id}`).join(', ')} from ${all} l join ${cells} c on ${this.matched('l', 'c', keys)}`,
    );
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
  private overContext(over: { period: PeriodShape; calendar: string }, context: SqlContext): SqlContext {
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
    const relation = this.cte(
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

  private knownDays(calendarTable: string): string {
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

/** The name of an item: that of an attribute on the spot is its own. */
const shownName = (namesOf: PlainAsked['namesOf'], { name, table, column }: SqlAxis): string =>
  (column === undefined ? undefined : namesOf.get(pathOf(table, column))) ?? name;

/** Columns of the answer: those that say how members are met are part of the members. */
export const answerColumns = ({ rows, byCount }: CompiledAnswer): AnswerColumn[] =>
  rows.columns.slice(0, rows.columns.length - rows.meetings).map(({ name, type }, i) => ({
    name,
    type: formatType(type),
    kind: i >= rows.members ? 'measure' : i < byCount ? 'by' : 'across',
  }));
