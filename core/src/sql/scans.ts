import type { DataType } from '../values/index.ts';
import { parseType, TEXT } from '../values/index.ts';
import type { Hierarchy, Table } from '../model/index.ts';
import { cardinalityOf, sameName } from '../model/index.ts';
import type { ColumnName } from '../formula/index.ts';
import { columnReaches, FOUND, unreachedOf } from '../query/index.ts';
import { whereSql } from './aggregate.ts';
import type { SqlAxis, SqlCondition, SqlContext, SqlStep } from './context.ts';
import type { Statement, Through } from './from.ts';
import { From, throughKey } from './from.ts';

/** Rows of a base table that a context leaves, as a FROM and WHERE. */
export interface Scan {
  readonly from: From;
  readonly where: string[];
  /** SQL of each key by the axis's id. */
  readonly keys: Map<string, string>;
  readonly throughs: readonly Through[];
}

/** How the members of an axis are shown, and ordered where that is by another column. */
export interface ShownAxis {
  readonly sql: string;
  readonly join: string;
  readonly order?: { readonly sql: string; readonly type: DataType };
  /** Whether other members are shown alike: a condition, of members that have a key of their own. */
  readonly repeated?: string;
}

/** Whether its members are told apart by one column that is not what is shown. */
export const isKeyed = (axis: SqlAxis): boolean =>
  axis.label !== undefined && !axis.composite && !axis.tree && !axis.meets;

/** Rows that found a row which is as it has to be, and those that met none in one of the ways named. */
function membersSql(
  { columns, typed, meets }: Extract<SqlCondition, { kind: 'members' }>,
  from: From,
): string {
  const meeting = from.meeting(columns[0]!.table);
  const others = meets.length === 0 ? '' : ` or ${meeting} in (${meets.join(', ')})`;
  return `((${meeting} = ${FOUND} and ${from.formula(typed)})${others})`;
}

/** Scans of base tables in contexts: which rows are left, and which members of the axes they have. */
export class Scans {
  constructor(private readonly statement: Statement) {}

  /**
   * Rows of a base table that a context leaves, with the key of each axis that reaches it. With bridges a row
   * may stand several times.
   */
  scan(context: SqlContext, base: string): Scan {
    const reaches = (column: ColumnName) => columnReaches(this.statement, base, column, context.via);
    const axes = context.repeat
      ? context.axes.filter((a) => reaches({ table: a.table, column: a.column ?? '' }))
      : context.axes;
    const steps = context.repeat
      ? context.steps.filter(
          (s) => s.kind === 'at' || unreachedOf(this.statement, s.condition, base, context.via).length === 0,
        )
      : context.steps;
    const table = this.tableOf(base);
    let scan: Scan = {
      from: new From(this.statement, table.name, 'b', `${this.statement.rowsOf(table.name)} b`, context.via),
      where: [],
      keys: new Map(),
      throughs: [],
    };
    const throughs = this.throughs(scan.from, axes, steps);
    for (const route of throughs) scan.from.meet(route);
    scan = { ...scan, throughs };
    for (const axis of axes) scan.keys.set(axis.id, this.axisSql(axis, scan.from));
    for (const step of steps) {
      if (step.kind === 'at') scan = this.ends(step, scan, table, context.via, axes);
      else if (step.condition.kind === 'formula') scan.where.push(scan.from.formula(step.condition.typed));
      else if (step.condition.kind === 'members') scan.where.push(membersSql(step.condition, scan.from));
      else this.restrictDays(step.condition, scan, base, context.via);
    }
    return scan;
  }

  private throughs(from: From, axes: readonly SqlAxis[], steps: readonly SqlStep[]): Through[] {
    const tables = [
      ...axes.map((a) => a.table),
      ...steps.flatMap((s) => (s.kind === 'condition' ? s.condition.columns.map((c) => c.table) : [])),
    ];
    const found = new Map<string, Through>();
    for (const table of tables) {
      const route = from.through(table);
      if (route) found.set(throughKey(route), route);
    }
    return [...found.values()];
  }

  private axisSql(axis: SqlAxis, from: From): string {
    if (axis.meets) return from.meeting(axis.table);
    if (axis.rest) {
      const own = this.axisSql(axis.rest.of, from);
      const joined = this.statement.fresh('r');
      from.join(
        `left join ${axis.rest.relation} ${joined} on ${joined}.${axis.rest.of.id} ${this.statement.dialect.notDistinct} ${own}`,
      );
      return `${joined}.grp`;
    }
    const alias = from.table(axis.table);
    const table = this.tableOf(axis.table);
    if (axis.composite) {
      const joined = this.statement.fresh('a');
      from.join(
        `left join ${this.memberKeys(axis)} ${joined} on ${joined}.r = ${this.statement.dialect.rowId(alias)}`,
      );
      return `${joined}.k`;
    }
    if (!axis.tree) return from.column(alias, table, axis.key);
    const ancestors = this.ancestors(axis.tree.hierarchy, axis.key, axis.tree.depth);
    const joined = this.statement.fresh('a');
    from.join(`left join ${ancestors} ${joined} on ${joined}.r = ${this.statement.dialect.rowId(alias)}`);
    return `${joined}.k`;
  }

  /**
   * A member as it is shown: its key, or the label of the first row that has it; and what it is ordered by,
   * where that is another column.
   */
  shownAxis(axis: SqlAxis, tellsRepeated = false): ShownAxis {
    const own = `c.${axis.id}`;
    if (axis.label === undefined && !axis.orderBy) return { sql: own, join: '' };
    const joined = this.statement.fresh('l');
    const members = axis.composite ? this.memberKeys(axis) : this.memberRows(axis);
    const isTold = tellsRepeated && isKeyed(axis);
    const labels = this.statement.cte(
      'labels',
      `select k, label${axis.orderBy ? ', ord' : ''}${isTold ? ', count(*) over (partition by label) as alike' : ''} from (select m.*, row_number() over (partition by k order by r) as place from ${members} m where k is not null) m where place = 1`,
    );
    return {
      sql: axis.label === undefined ? own : `${joined}.label`,
      join: `\nleft join ${labels} ${joined} on ${joined}.k = ${own}`,
      ...(axis.orderBy ? { order: { sql: `${joined}.ord`, type: this.typeOf(axis.orderBy) } } : {}),
      ...(isTold ? { repeated: `${joined}.alike > 1` } : {}),
    };
  }

  /** The rows of an axis's table with the key, the label and what the members are ordered by. */
  private memberRows(axis: SqlAxis): string {
    const table = this.tableOf(axis.table);
    const alias = this.statement.fresh('t');
    const from = new From(
      this.statement,
      table.name,
      alias,
      `${this.statement.rowsOf(table.name)} ${alias}`,
      [],
    );
    const column = (name: string) => from.column(alias, table, name);
    const order = axis.orderBy ? `, ${column(axis.orderBy.column)} as ord` : '';
    const [key, label] = [column(axis.key), column(axis.label ?? axis.key)];
    return this.statement.cte(
      'members',
      `select ${this.statement.dialect.rowId(alias)} as r, ${key} as k, ${label} as label${order} from ${from.sql}`,
    );
  }

  /** Members that stand for nothing but their own rows are not listed where the hierarchy hides those. */
  listedMembers(axes: readonly SqlAxis[], word: 'where' | 'and' = 'where'): string {
    const hidden = axes.filter((axis) => axis.tree?.hierarchy.ownRows === 'hidden');
    if (hidden.length === 0) return '';
    const conditions = hidden.map(
      (axis) => `not exists (select 1 from ${this.ownRowsAbove(axis)} h where h.k = c.${axis.id})`,
    );
    return `\n${word} ${conditions.join(' and ')}`;
  }

  private typeOf({ table, column }: ColumnName): DataType {
    return parseType(this.statement.checker.names.column(table, column)!.type) ?? TEXT;
  }

  private readonly members = new Map<string, string>();

  /**
   * For each row of a hierarchy's table the number of its member, in the order of the columns that tell
   * members apart, and what is shown of it.
   */
  memberKeys(axis: SqlAxis): string {
    let name = this.members.get(axis.id);
    if (name === undefined) {
      const { statement } = this;
      const { dialect } = statement;
      const table = this.tableOf(axis.table);
      const alias = statement.fresh('t');
      const from = new From(
        statement,
        table.name,
        alias,
        `${this.statement.rowsOf(table.name)} ${alias}`,
        [],
      );
      const column = (c: ColumnName) => {
        const home = this.tableOf(c.table);
        const sql = from.column(
          sameName(home.name, table.name) ? alias : from.table(home.name),
          home,
          c.column,
        );
        return { sql, type: this.typeOf(c) };
      };
      const keys = axis.composite!.keys.map(column);
      const label = column(axis.composite!.shown).sql;
      const ordered = axis.orderBy ? `, ${column(axis.orderBy).sql} as ord` : '';
      const whole = keys.map((key) => `${key.sql} is not null`).join(' and ');
      const order = keys.map((key) => dialect.ordered(key.sql, key.type)).join(', ');
      name = statement.cte(
        'members',
        `select ${dialect.rowId(alias)} as r, case when ${whole} then dense_rank() over (order by ${order}) end as k, ${label} as label${ordered} from ${from.sql}`,
      );
      this.members.set(axis.id, name);
    }
    return name;
  }

  /**
   * For each row of a tree's table the key of its ancestor at a depth (the top is 1); a member above it, or
   * on a loop, stands for itself.
   */
  private ancestors(hierarchy: Hierarchy, keyName: string, depth: number): string {
    const { members, chain } = this.ways(hierarchy, keyName);
    return this.statement.cte(
      'ancestors',
      `select c.r, m.k from (select r, max(n) + 1 as length from ${chain} group by r) d join ${chain} c on c.r = d.r and c.n = case when d.length > ${depth} then d.length - ${depth} else 0 end join ${members} m on m.r = c.at`,
    );
  }

  /** Keys of members above an axis's depth that have others below them. */
  ownRowsAbove(axis: SqlAxis): string {
    const { hierarchy, depth } = axis.tree!;
    const { members, firsts, chain } = this.ways(hierarchy, axis.key);
    // Members on a loop stand for themselves at every depth: their way up has no end.
    const ends = `select 1 from ${chain} top join ${members} t on t.r = top.at left join ${firsts} f on f.k = t.parent where top.r = d.r and top.n = d.length - 1 and f.r is null`;
    return this.statement.cte(
      'own_rows',
      `select m.k from (select r, max(n) + 1 as length from ${chain} group by r) d join ${members} m on m.r = d.r where d.length < ${depth} and exists (select 1 from ${chain} below where below.at = d.r and below.n = 1) and exists (${ends})`,
    );
  }

  /**
   * The members of a tree's table, and the way up from each row: its steps by number, without going round.
   */
  private ways(hierarchy: Hierarchy, keyName: string): { members: string; firsts: string; chain: string } {
    this.statement.needsRecursion();
    const table = this.tableOf(hierarchy.table);
    const alias = this.statement.fresh('t');
    const from = new From(
      this.statement,
      table.name,
      alias,
      `${this.statement.rowsOf(table.name)} ${alias}`,
      [],
    );
    const [key, parent] = [from.column(alias, table, keyName), from.column(alias, table, hierarchy.parent!)];
    const members = this.statement.cte(
      'members',
      `select ${this.statement.dialect.rowId(alias)} as r, ${key} as k, ${parent} as parent from ${from.sql}`,
    );
    const firsts = this.statement.cte(
      'firsts',
      `select k, r from (select k, r, row_number() over (partition by k order by r) as place from ${members} where k is not null) f where place = 1`,
    );
    const chain = this.statement.fresh('chain');
    this.statement.add(`${chain} (r, at, n, way) as (
  select r, r, 0, '/' || cast(r as text) || '/' from ${members}
  union all
  select c.r, f.r, c.n + 1, c.way || cast(f.r as text) || '/' from ${chain} c join ${members} m on m.r = c.at join ${firsts} f on f.k = m.parent where c.way not like '%/' || cast(f.r as text) || '/%'
)`);
    return { members, firsts, chain };
  }

  private restrictDays(
    condition: Extract<SqlCondition, { kind: 'days' }>,
    scan: Scan,
    base: string,
    via: readonly string[],
  ): void {
    const path = this.statement.checker.reach.lookup(base, condition.calendar, via)!;
    const at = path.findIndex((r) => cardinalityOf(r) === 'many-to-level');
    const calendar = this.statement.model.calendars!.find((c) => sameName(c.table, condition.calendar))!;
    const table = this.tableOf(calendar.table);
    const joined = this.statement.fresh('p');
    if (at < 0) {
      const day = scan.from.column(scan.from.table(table.name), table, calendar.day);
      scan.from.join(`join ${condition.relation} ${joined} on ${joined}.day = ${day}`);
    } else {
      const level = path[at]!;
      const members = this.wholeMembers(condition, level.to.columns, table, calendar.day);
      const near = scan.from.follow('b', path.slice(0, at));
      const on = level.from.columns.map(
        (name, i) => `${joined}.m${i} = ${scan.from.column(near, this.tableOf(level.from.table), name)}`,
      );
      scan.from.join(`join ${members} ${joined} on ${on.join(' and ')}`);
    }
    for (const key of condition.keys) scan.keys.set(key.id, `${joined}.${key.id}`);
  }

  /** Members of a level all of whose days are among those of a condition. */
  private wholeMembers(
    condition: Extract<SqlCondition, { kind: 'days' }>,
    columns: readonly string[],
    table: Table,
    dayName: string,
  ): string {
    const from = new From(this.statement, table.name, 'b', `${this.statement.rowsOf(table.name)} b`, []);
    const day = from.column('b', table, dayName);
    const parts = columns.map((name) => from.column('b', table, name));
    const rows = this.statement.cte(
      'rows',
      `select ${parts.map((part, i) => `${part} as m${i}, `).join('')}${day} as day from ${from.sql}`,
    );
    const members = columns.map((_, i) => `m${i}`);
    const keys = condition.keys.map((k) => k.id);
    const all = this.statement.cte(
      'sizes',
      `select ${members.join(', ')}, count(*) as n from ${rows} group by ${members.join(', ')}`,
    );
    const grouped = [...keys.map((k) => `p.${k}`), ...members.map((m) => `r.${m}`)];
    return this.statement.cte(
      'whole',
      `select ${grouped.join(', ')} from ${rows} r join ${condition.relation} p on p.day = r.day join ${all} s on ${members.map((m) => `s.${m} ${this.statement.dialect.notDistinct} r.${m}`).join(' and ')} group by ${grouped.join(', ')}, s.n having count(*) = s.n`,
    );
  }

  /**
   * `at first` and `at last`: of the rows of a group (and of a value of `per`), those with the least or
   * greatest value.
   */
  private ends(
    step: Extract<SqlStep, { kind: 'at' }>,
    scan: Scan,
    table: Table,
    via: readonly string[],
    axes: readonly SqlAxis[],
  ): Scan {
    const { from, where, keys, throughs } = scan;
    const value = (c: ColumnName) => from.column(from.table(c.table), this.tableOf(c.table), c.column);
    const met = throughs.map((route) => from.meet(route));
    const parts = [
      `${this.statement.dialect.rowId('b')} as r`,
      ...met.map((alias, i) => `${this.statement.dialect.rowId(alias)} as m${i}`),
      ...[...keys].map(([id, sql]) => `${sql} as ${id}`),
      ...step.per.map((c, i) => `${value(c)} as per${i}`),
      `${value(step.column)} as y`,
    ];
    const rows = this.statement.cte('s', `select ${parts.join(', ')} from ${from.sql}${whereSql(where)}`);
    const later = new Set(axes.filter((axis) => !step.axes.includes(axis)).map((axis) => axis.id));
    const partition = [
      ...[...keys.keys()].filter((id) => !later.has(id)),
      ...step.per.map((_, i) => `per${i}`),
    ];
    const window = `${step.which === 'last' ? 'max' : 'min'}(y) over (${partition.length === 0 ? '' : `partition by ${partition.join(', ')}`})`;
    const kept = this.statement.cte(
      's',
      `select * from (select s.*, ${window} as best from ${rows} s) w where y = best`,
    );
    const next = new From(
      this.statement,
      table.name,
      'b',
      `${kept} e join ${this.statement.rowsOf(table.name)} b on ${this.statement.dialect.rowId('b')} = e.r`,
      via,
    );
    throughs.forEach((route, i) => {
      const alias = this.statement.fresh('m');
      const far = route.kind === 'bridge' ? route.entry.from.table : route.entry.to.table;
      next.join(
        `left join ${this.statement.rowsOf(far)} ${alias} on ${this.statement.dialect.rowId(alias)} = e.m${i}`,
      );
      next.setMet(route, alias);
    });
    return { from: next, where: [], keys: new Map([...keys.keys()].map((id) => [id, `e.${id}`])), throughs };
  }

  /** Rows that stand several times in a group, through bridges, count once. */
  once(scan: Scan, base: string, via: readonly string[]): Scan {
    if (scan.throughs.length === 0) return scan;
    const { from, where, keys } = scan;
    const columns = [
      `${this.statement.dialect.rowId('b')} as r`,
      ...[...keys].map(([id, sql]) => `${sql} as ${id}`),
    ];
    const rows = this.statement.cte(
      'e',
      `select distinct ${columns.join(', ')} from ${from.sql}${whereSql(where)}`,
    );
    const next = new From(
      this.statement,
      base,
      'b',
      `${rows} e join ${this.statement.rowsOf(base)} b on ${this.statement.dialect.rowId('b')} = e.r`,
      via,
    );
    return {
      from: next,
      where: [],
      keys: new Map([...keys.keys()].map((id) => [id, `e.${id}`])),
      throughs: [],
    };
  }

  private tableOf(name: string): Table {
    return this.statement.checker.names.table(name)!;
  }
}
