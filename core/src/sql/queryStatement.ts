import { BOOLEAN, DATE, INTEGER, TEXT } from '../values/index.ts';
import type { DataType } from '../values/index.ts';
import type { ByItem, PlainFilter, PlainQuery } from '../model/index.ts';
import { sameName } from '../model/index.ts';
import type { Typed } from '../formula/index.ts';
import type { AskedMeasure, Extras, PlainAsked, Top } from '../query/index.ts';
import {
  askedFilter,
  askedMeasure,
  levelOf,
  pathOf,
  QueryError,
  sortedBy,
  treeKey,
  unreachedBy,
} from '../query/index.ts';
import type { SqlAxis, SqlCondition, SqlContext } from './context.ts';
import type { CompiledAnswer, CompiledQuery, SqlSetting } from './compiled.ts';
import type { SqlDialect } from './dialect.ts';
import { orderTerm, quoted } from './dialect.ts';
import { MeasureSql } from './measures.ts';
import { periodSql } from './period.ts';
import type { ShownAxis } from './scans.ts';
import { isKeyed } from './scans.ts';

/** Cells of an answer: of members themselves, or of what a top leaves over of the last item of `by`. */
interface Part {
  readonly context: SqlContext;
  readonly cells: string;
  readonly isRest: boolean;
}

/** What rows are put in order by. */
interface OrderTerm {
  readonly sql: string;
  /** Of a value; without it keys are ordered as the database has them. */
  readonly type?: DataType;
  /** Missing for what is never null. */
  readonly by?: readonly ['asc' | 'desc', nulls: 'first' | 'last'];
}

/** A part with what is selected of it. */
interface PartColumns extends Part {
  readonly columns: readonly { readonly name: string; readonly type: DataType; readonly sql: string }[];
  readonly shown: readonly ShownAxis[];
  readonly from: string;
  readonly beside: number;
  readonly keys: readonly (number | undefined)[];
  readonly targets: readonly (number | undefined)[];
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

/** An axis whose members are the rests of another one, by the number of the group that they belong to. */
const restAxis = (of: SqlAxis, relation: string): SqlAxis => ({
  id: `${of.id}_rest`,
  name: of.name,
  type: of.type,
  table: of.table,
  ...(of.column === undefined ? {} : { column: of.column }),
  key: of.key,
  rest: { of, relation },
});

/** The name of an item: that of an attribute on the spot is its own. */
const shownName = (namesOf: PlainAsked['namesOf'], { name, table, column }: SqlAxis): string =>
  (column === undefined ? undefined : namesOf.get(pathOf(table, column))) ?? name;

/** Of a list with gaps the places of what is there, from one on. */
function placesOf(list: readonly unknown[], from: number): (number | undefined)[] {
  let next = from;
  return list.map((one) => (one === undefined ? undefined : next++));
}

const columnNames = (axes: readonly SqlAxis[], prefix = ''): string =>
  axes.map((axis) => `${prefix}${axis.id}`).join(', ');

/** Statements of one query: its rows, its totals. */
export class QueryCompiler extends MeasureSql {
  private contextMade: SqlContext | undefined;

  constructor(
    setting: SqlSetting,
    dialect: SqlDialect,
    private readonly exact: boolean,
    private readonly extras: Extras = {},
  ) {
    super(setting, dialect);
  }

  /** Of each measure the one that is its goal. */
  private targets(names: readonly string[]): readonly (AskedMeasure | undefined)[] {
    return names.map((name) => {
      const goal = this.extras.goals ? this.checker.names.measure(name)?.goal?.measure : undefined;
      return goal !== undefined && this.checker.measure(goal)?.typed ? askedMeasure(this, goal) : undefined;
    });
  }

  rows(asked: PlainAsked): Pick<CompiledAnswer, 'rows' | 'unreached'> {
    const { context } = this.asked(asked);
    const measures = asked.query.measures.map((name) => askedMeasure(this, name));
    const unreached = measures.flatMap((m) =>
      unreachedBy(this, m.node, context).map(
        (c) => [m.name, asked.namesOf.get(pathOf(c.table, c.column)) ?? `${c.table}.${c.column}`] as const,
      ),
    );
    return { rows: this.table(this.parts(asked), asked, asked.query), unreached };
  }

  /** Subtotals of the members that are listed: of the first items of `by`, and the first of `across`. */
  subtotals(asked: PlainAsked, by: number, across: number): CompiledQuery {
    const { byCount } = asked;
    const whole = this.parts(asked);
    const count = whole[0]!.context.axes.filter((axis) => !axis.meets).length;
    const isApart = whole[0]!.context.axes.length > count;
    const items = [
      ...Array.from({ length: by }, (_, p) => p),
      ...Array.from({ length: across }, (_, p) => byCount + p),
    ];
    const places = isApart ? [...items, ...items.map((p) => count + p)] : items;
    const projected = (part: Part) => {
      const axes = places.map((p) => part.context.axes[p]!);
      const listed = this.scans.listedMembers(part.context.axes);
      return { axes, sql: `select distinct ${columnNames(axes, 'c.')} from ${part.cells} c${listed}` };
    };
    const query = { ...asked.query, sort: [] };
    const made = whole.map((part) => ({ ...part, ...projected(part) }));
    const partOf = ({ context, axes, isRest }: (typeof made)[number], sql: string): Part => ({
      context: { ...context, axes },
      cells: this.keptCte('cells', sql),
      isRest,
    });
    // The rest is a member of the last item of `by`; without that its cells are like all others.
    const parts =
      by === byCount
        ? made.map((part) => partOf(part, part.sql))
        : [partOf(made[0]!, made.map((part) => part.sql).join('\n  union '))];
    return this.table(parts, asked, query);
  }

  protected asked({ query }: PlainAsked): { context: SqlContext } {
    this.contextMade ??= this.contextOf(query);
    return { context: this.contextMade };
  }

  /** The cells of an answer: those that are listed, hold, and are among the first. */
  protected parts(asked: PlainAsked): Part[] {
    const { query, having, top, byCount } = asked;
    const { context } = this.asked(asked);
    const measures = query.measures.map((name) => askedMeasure(this, name));
    const conditions = having.map(({ measure }) => askedMeasure(this, measure));
    const listed = this.listed(query, context, measures.length > 0 ? measures : conditions);
    const held = this.held(listed, context, conditions);
    return top
      ? this.first(held, context, query, { ...top, last: byCount - 1 })
      : [{ context, cells: held, isRest: false }];
  }

  /** The statement of some cells: their members and values, in order. */
  private table(parts: readonly Part[], asked: PlainAsked, query: PlainQuery): CompiledQuery {
    const measures = query.measures.map((name) => askedMeasure(this, name));
    const last = asked.byCount - 1;
    const made = parts.map((part) => this.columnsOf(part, measures, asked, last));
    const [first] = made as [PartColumns];
    const members = first.context.axes.filter((axis) => !axis.meets);
    const limit = query.limit === undefined ? '' : `\nlimit ${query.limit}`;
    const hasRest = parts.some((part) => part.isRest);
    const rest = hasRest ? last : undefined;
    const orders = made.map((part) => this.orderTerms(part, query, members, measures, rest));
    return {
      sql: this.statement(`${hasRest ? this.union(made, orders) : this.select(first, orders[0]!)}${limit}`),
      parameters: this.parameters,
      columns: [...first.columns, ...(hasRest ? [{ name: 'is the rest', type: INTEGER }] : [])],
      tables: this.tables,
      meetings: first.context.axes.length - members.length,
      members: members.length,
      others: hasRest,
      beside: first.beside,
      keys: first.keys,
      targets: first.targets,
    };
  }

  private columnsOf(
    part: Part,
    measures: readonly AskedMeasure[],
    { namesOf }: PlainAsked,
    last: number,
  ): PartColumns {
    const { context, cells, isRest } = part;
    const targets = this.targets(measures.map((m) => m.name));
    const asked = [...measures, ...targets.filter((t) => t !== undefined)];
    const values = asked.map((m) => this.applied(m.node, context, cells));
    const joins = values.map((v, i) => ` join ${v} v${i} on ${this.matched('c', `v${i}`, context.axes)}`);
    const isRestAt = (p: number) => isRest && p === last;
    const shown = context.axes.map((axis, p): ShownAxis =>
      isRestAt(p)
        ? { sql: this.dialect.nullOf(axis.type), join: '' }
        : this.scans.shownAxis(axis, this.extras.keys),
    );
    const members = context.axes.filter((axis) => !axis.meets);
    const meetings = context.axes.slice(members.length);
    // The rest of an item has columns where members of it have keys.
    const keyed = members.flatMap(({ rest, ...own }, p) => {
      const axis = rest?.of ?? own;
      return this.extras.keys && isKeyed(axis) ? [{ axis, p }] : [];
    });
    const keyAt = members.length + asked.length;
    return {
      ...part,
      shown,
      beside: asked.length - measures.length + 2 * keyed.length,
      targets: placesOf(targets, members.length + measures.length),
      keys: members.map((_, p) => {
        const place = keyed.findIndex((k) => k.p === p);
        return place < 0 ? undefined : keyAt + 2 * place;
      }),
      columns: [
        ...members.map((axis, i) => ({
          name: shownName(namesOf, axis),
          type: axis.type,
          sql: shown[i]!.sql,
        })),
        ...asked.map((m, i) => ({ name: m.name, type: m.type, sql: `v${i}.v` })),
        ...keyed.flatMap(({ axis, p }) => [
          {
            ...{ name: `${axis.name}, key`, type: this.keyType(axis) },
            sql: isRestAt(p) ? this.dialect.nullOf(this.keyType(axis)) : `c.${axis.id}`,
          },
          {
            ...{ name: `${axis.name}, alike`, type: BOOLEAN },
            sql: shown[p]!.repeated ?? this.dialect.nullOf(BOOLEAN),
          },
        ]),
        ...meetings.map((axis) => ({ name: `${axis.name}, how met`, type: INTEGER, sql: `c.${axis.id}` })),
      ],
      from: `${cells} c${joins.join('\n')}${shown.map((s) => s.join).join('')}${this.scans.listedMembers(context.axes)}`,
    };
  }

  private text({ sql, type }: { sql: string; type: DataType }): string {
    return this.exact ? sql : this.dialect.show(sql, type);
  }

  private ordered({ sql, type, by }: OrderTerm): string {
    const term = type ? this.dialect.ordered(sql, type) : sql;
    return by ? orderTerm(term, ...by, this.dialect) : term;
  }

  private select({ columns, from }: PartColumns, terms: readonly OrderTerm[]): string {
    const selected = columns.map((c) => `${this.text(c)} as ${quoted(c.name)}`).join(',\n  ');
    const order = terms.length === 0 ? '' : `\norder by ${terms.map((t) => this.ordered(t)).join(', ')}`;
    return `select ${selected}\nfrom ${from}${order}`;
  }

  /** Members and rests in one list; its last column tells them apart. */
  private union(parts: readonly PartColumns[], orders: readonly (readonly OrderTerm[])[]): string {
    const selects = parts.map(({ columns, from, isRest }, i) => {
      const own = columns.map((c, at) => `${this.text(c)} as x${at}`);
      const by = orders[i]!.map((term, at) => `${term.sql} as o${at}`);
      return `select ${[...own, `${isRest ? 1 : 0} as rest`, ...by].join(', ')}\nfrom ${from}`;
    });
    const columns = [
      ...parts[0]!.columns.map((c, at) => `x${at} as ${quoted(c.name)}`),
      `rest as "is the rest"`,
    ];
    const order = orders[0]!.map((term, at) => this.ordered({ ...term, sql: `o${at}` })).join(', ');
    return `select ${columns.join(', ')}\nfrom (\n${selects.join('\nunion all\n')}) u\norder by ${order}`;
  }

  /** The cells for which all conditions on measures are true. */
  private held(cells: string, context: SqlContext, conditions: readonly { readonly node: Typed }[]): string {
    if (conditions.length === 0) return cells;
    const values = conditions.map((m) => this.applied(m.node, context, cells));
    const joins = values.map((v, i) => ` join ${v} h${i} on ${this.matched('c', `h${i}`, context.axes)}`);
    const holds = values.map((_, i) => `h${i}.v`).join(' and ');
    return this.keptCte(
      'held',
      `select ${columnNames(context.axes, 'c.')} from ${cells} c${joins.join('')} where ${holds}`,
    );
  }

  /**
   * The cells whose member of the last item of `by` is among the first by a measure, within the members of
   * other items: ranked over those items alone, ties by member, what has no value last. Where the rest is
   * asked for, also a cell of it for each combination of the other members.
   */
  private first(cells: string, context: SqlContext, query: PlainQuery, top: Top & { last: number }): Part[] {
    const apart = query.unmatched === 'apart';
    if (top.others && apart)
      throw new QueryError(
        '"others" and "unmatched": "apart" do not go together: the rest is one member, whatever it is made of',
      );
    const count = context.axes.filter((axis) => !axis.meets).length;
    const withMet = (places: readonly number[]) =>
      apart ? [...places, ...places.map((p) => count + p)] : [...places];
    const axes = withMet([...top.per, top.last]).map((p) => context.axes[p]!);
    const numbered = this.numbered(cells, context, top, axes, apart);
    const listed = this.scans.listedMembers(context.axes, 'and');
    const kept = this.keptCte(
      'first',
      `select ${columnNames(context.axes, 'c.')} from ${cells} c join ${numbered} n on ${this.matched('c', 'n', axes)} where n.place <= ${top.count}`,
    );
    const first: Part = { context, cells: kept, isRest: false };
    if (!top.others) return [first];
    const last = context.axes[top.last]!;
    const rests = this.keptCte(
      'rests',
      `select distinct n.${last.id}, n.grp from ${numbered} n where n.place > ${top.count}`,
    );
    const own = context.axes.map((axis, p) => (p === top.last ? restAxis(axis, rests) : axis));
    const names = own.map((axis) => (axis.rest ? `n.grp as ${axis.id}` : `c.${axis.id}`)).join(', ');
    const rest = this.keptCte(
      'others',
      `select distinct ${names} from ${cells} c join ${numbered} n on ${this.matched('c', 'n', axes)} where n.place > ${top.count}${listed}`,
    );
    return [first, { context: { ...context, axes: own }, cells: rest, isRest: true }];
  }

  /** Members of some axes with their place within their group, and the number of that. */
  private numbered(
    cells: string,
    context: SqlContext,
    top: Top & { last: number },
    axes: readonly SqlAxis[],
    apart: boolean,
  ): string {
    const members = [...top.per, top.last].map((p) => context.axes[p]!);
    const within = top.per.map((p) => context.axes[p]!);
    const ranked = this.keptCte(
      'ranked',
      `select distinct ${columnNames(axes, 'c.')} from ${cells} c${this.scans.listedMembers(context.axes)}`,
    );
    const measure = askedMeasure(this, top.of);
    const value = this.applied(measure.node, { ...context, axes }, ranked);
    const shown = members.map((axis) => this.scans.shownAxis(axis));
    const columns = members.map((axis, i) => ({ sql: shown[i]!.sql, type: axis.type }));
    const order = [
      this.ordered({ sql: 'v.v', type: measure.type, by: [top.descending ? 'desc' : 'asc', 'last'] }),
      ...this.memberTerms(members, columns, shown, apart).map((term) => this.ordered(term)),
    ];
    const group = columnNames(within, 'c.');
    const numbers = [
      `row_number() over (${group === '' ? '' : `partition by ${group} `}order by ${order.join(', ')}) as place`,
      `${group === '' ? '1' : `dense_rank() over (order by ${group})`} as grp`,
    ];
    return this.keptCte(
      'numbered',
      `select ${columnNames(axes, 'c.')}, ${numbers.join(', ')} from ${ranked} c join ${value} v on ${this.matched('c', 'v', axes)}${shown.map((s) => s.join).join('')}`,
    );
  }

  totals(query: PlainQuery): CompiledQuery {
    const context = { ...this.contextOf(query), axes: [] };
    const own = query.measures.map((name) => askedMeasure(this, name));
    const targets = this.targets(query.measures);
    const measures = [...own, ...targets.filter((t) => t !== undefined)];
    const cells = this.cte('cells', 'select 1 as one');
    const relations = measures.map((m) => this.applied(m.node, context, cells));
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
      others: false,
      beside: measures.length - own.length,
      keys: [],
      targets: placesOf(targets, own.length),
    };
  }

  private applied(node: Typed, context: SqlContext, cells: string): string {
    if (unreachedBy(this, node, context).length === 0) return this.values(node, context, cells);
    return this.cte(
      'v',
      `select ${this.names(context.axes, 'c.')}${this.dialect.nullOf(node.type ?? TEXT)} as v from ${cells} c`,
    );
  }

  protected contextOf(query: PlainQuery): SqlContext {
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
  /** What rows are ordered by: as asked, then by members; the rest (of the item `last`) comes last. */
  private orderTerms(
    { columns, shown, isRest, context }: PartColumns,
    query: PlainQuery,
    members: readonly SqlAxis[],
    measures: readonly AskedMeasure[],
    last: number | undefined,
  ): OrderTerm[] {
    const term: OrderTerm = { sql: isRest ? '1' : '0' };
    const rest = last === undefined ? undefined : { isRest, last, term };
    const sorts = (query.sort ?? []).map(({ of, order }): OrderTerm => {
      const by = sortedBy(query, of, members, measures);
      const how = [order === 'descending' ? 'desc' : 'asc', 'last'] as const;
      if ('measure' in by) return { ...columns[members.length + by.measure]!, by: how };
      const { sql, type } = shown[by.axis]!.order ?? columns[by.axis]!;
      return { sql, type, by: how };
    });
    const isApart = context.axes.some((axis) => axis.meets);
    const terms = this.memberTerms(members, columns, shown, isApart, rest);
    return [...(rest && sorts.length > 0 ? [term] : []), ...sorts, ...terms];
  }

  /** The order of members, ascending: what is no member last, members of one label by their keys. */
  private memberTerms(
    axes: readonly SqlAxis[],
    columns: readonly { readonly sql: string; readonly type: DataType }[],
    shown: readonly ShownAxis[],
    apart: boolean,
    rest?: { readonly isRest: boolean; readonly last: number; readonly term: OrderTerm },
  ): OrderTerm[] {
    const members = axes.flatMap((axis, p): OrderTerm[] => [
      ...(rest?.last === p ? [rest.term] : []),
      ...[axis.orderBy ? (shown[p]!.order ?? columns[p]!) : undefined, columns[p]!].flatMap((c) =>
        c ? [{ sql: c.sql, type: c.type, by: ['asc', 'last'] as const }] : [],
      ),
      ...(apart ? [{ sql: `c.${meetingAxis(axis).id}` }] : []),
    ]);
    const keys = axes.flatMap((axis, p): OrderTerm[] =>
      axis.label === undefined
        ? []
        : [{ sql: rest?.isRest && rest.last === p ? 'null' : `c.${axis.id}`, by: ['asc', 'first'] as const }],
    );
    return [...members, ...keys];
  }

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
    const relation = this.keptCte(
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
}
