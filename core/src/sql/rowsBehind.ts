import type { DataType } from '../values/index.ts';
import { fromJson, parseType, TEXT } from '../values/index.ts';
import type { AskedCell, MemberOfCell, Query } from '../model/index.ts';
import { sameName } from '../model/index.ts';
import type { Typed, TypedAggregate } from '../formula/index.ts';
import { mentionsRole, operandsOf } from '../formula/index.ts';
import type { PlainAsked } from '../query/index.ts';
import {
  askedMeasure,
  entered,
  filterAsCondition,
  FOUND,
  measureContext,
  NO_REFERENCE,
  plainQuery,
  QueryError,
  resolvePath,
  restricted,
  UNMATCHED,
  unreachedBy,
  withCondition,
} from '../query/index.ts';
import { aggregateSql, whereSql } from './aggregate.ts';
import { roledSetting, spotSetting } from './compile.ts';
import type { SqlSetting } from './compiled.ts';
import type { SqlAxis, SqlContext } from './context.ts';
import type { SqlDialect } from './dialect.ts';
import { orderTerm, quoted } from './dialect.ts';
import type { From } from './from.ts';
import { QueryCompiler } from './queryStatement.ts';
import type { CompiledRows, NamedValue } from './rows.ts';
import { counting, countWhere } from './rows.ts';

/** An aggregate of a measure, with the rows that it is worked out of in a cell. */
interface Behind {
  readonly node: TypedAggregate & Typed;
  /** As its formula writes it. */
  readonly text: string;
  readonly from: From;
  readonly where: readonly string[];
  /** The relation of the cells for which it is worked out: one, or the combinations of a "per". */
  readonly cells: string;
  /** The relation of its values. */
  readonly value: string;
}

/** What is told of an aggregate before its rows are asked for. */
export interface AggregateBehind {
  readonly text: string;
  readonly table: string;
  readonly aggregate: string;
  readonly type: DataType | null;
  /** Whether it is a sum over its rows, in one cell. */
  readonly isSum: boolean;
  readonly distinct: boolean;
}

/** What is listed of the rows. */
export interface RowsListing {
  /** Columns written `table.column`, or those of the rows' own table by their name. */
  readonly columns: readonly string[];
  readonly where?: string | undefined;
  readonly sort: readonly { readonly of: string; readonly order?: 'ascending' | 'descending' | undefined }[];
  readonly limit: number;
}

/**
 * The rows behind a cell of an answer as statements: each is compiled anew, with contexts as the evaluator
 * has them.
 */
export class RowsBehindSql {
  private readonly setting: SqlSetting;
  private readonly asked: PlainAsked;

  /** Throws QueryError for what the model does not have. */
  constructor(
    setting: SqlSetting,
    query: Query,
    private readonly cell: AskedCell,
    private readonly dialect: SqlDialect,
  ) {
    const { limit: _limit, sort: _sort, ...whole } = query;
    const measures = whole.measures.some((m) => typeof m !== 'string' || sameName(m, cell.measure))
      ? whole.measures
      : [...whole.measures, cell.measure];
    this.asked = plainQuery(setting, { ...whole, measures });
    const onTheSpot = spotSetting(setting, this.asked.model);
    this.setting = mentionsRole(onTheSpot.model, this.asked.query) ? roledSetting(onTheSpot) : onTheSpot;
  }

  private compiler(): BehindCompiler {
    return new BehindCompiler(this.setting, this.dialect, this.asked, this.cell);
  }

  /** How many cells are addressed: one, or the answer has no such row, or several with those members. */
  cells(): CompiledRows {
    return this.compiler().cellsStatement();
  }

  /** The aggregates of the measure, in the order in which they are worked out. */
  aggregates(): AggregateBehind[] {
    return this.compiler()
      .behind()
      .map(({ node, text }) => ({
        text,
        table: this.setting.checker.names.table(node.base)!.name,
        aggregate: node.aggregate,
        type: node.type,
        isSum: (node.aggregate === 'sum' || node.aggregate === 'count') && !node.distinct,
        distinct: node.distinct,
      }));
  }

  /** Rows in all, rows that the listing's own condition shows, and the sum where the aggregate is one. */
  counts(at: number, { where }: Pick<RowsListing, 'where'>): CompiledRows {
    return this.compiler().countsStatement(at, where);
  }

  /** For how many cells it is worked out: 0, 1, or 2 for several. */
  tuples(at: number): CompiledRows {
    return this.compiler().tuplesStatement(at);
  }

  /** What the evaluator gives. */
  value(at: number): CompiledRows {
    return this.compiler().valueStatement(at);
  }

  rows(at: number, listing: RowsListing): CompiledRows {
    return this.compiler().rowsStatement(at, listing);
  }
}

class BehindCompiler extends QueryCompiler {
  constructor(
    setting: SqlSetting,
    dialect: SqlDialect,
    private readonly question: PlainAsked,
    private readonly cell: AskedCell,
  ) {
    super(setting, dialect, true);
  }

  private written(select: string, columns: readonly { name: string; type: DataType }[]): CompiledRows {
    return {
      sql: this.statement(select),
      parameters: this.parameters,
      columns: columns.map(({ name, type }) => ({ name, type })),
      tables: this.tables,
    };
  }

  cellsStatement(): CompiledRows {
    return this.counted(this.addressed().cells);
  }

  behind(): Behind[] {
    const { context, cells } = this.addressed();
    const measure = askedMeasure(this, this.cell.measure);
    // What does not apply has no rows.
    if (unreachedBy(this, measure.node, context).length > 0) return [];
    return this.walk(measure.node, context, cells, '');
  }

  countsStatement(at: number, where: string | undefined): CompiledRows {
    const { node, from, where: kept } = this.behind()[at]!;
    const shown = where === undefined ? undefined : this.condition(from, where);
    const arg = node.arg && { sql: from.formula(node.arg), type: node.arg.type ?? TEXT };
    const sum =
      (node.aggregate === 'sum' || node.aggregate === 'count') && !node.distinct
        ? aggregateSql(node.aggregate, false, arg, this.dialect)
        : undefined;
    const type = node.type ?? TEXT;
    const columns: NamedValue[] = [
      counting('n', 'count(*)'),
      counting('shown', shown === undefined ? 'count(*)' : countWhere(shown)),
      { name: 'sum', sql: sum ?? this.dialect.nullOf(type), type },
    ];
    return this.written(`${this.selected(columns)} from ${from.sql}${whereSql(kept)}`, columns);
  }

  tuplesStatement(at: number): CompiledRows {
    const { cells } = this.behind()[at]!;
    return this.counted(cells);
  }

  private counted(relation: string): CompiledRows {
    return this.written(`select count(*) as n from (select 1 as one from ${relation} limit 2) c`, [
      counting('n', 'count(*)'),
    ]);
  }

  valueStatement(at: number): CompiledRows {
    const { node, value } = this.behind()[at]!;
    return this.written(`select v from ${value}`, [{ name: 'v', type: node.type ?? TEXT }]);
  }

  rowsStatement(at: number, { columns, where, sort, limit }: RowsListing): CompiledRows {
    const { node, from, where: kept } = this.behind()[at]!;
    const shown = where === undefined ? [] : [this.condition(from, where)];
    const listed = columns.map((path) => this.looked(from, node.base, path));
    const order = sort.map(({ of, order: way }) => {
      const { sql, type } = this.looked(from, node.base, of);
      return orderTerm(
        this.dialect.ordered(sql, type),
        way === 'descending' ? 'desc' : 'asc',
        'last',
        this.dialect,
      );
    });
    const select = `${this.selected(listed)} from ${from.sql}${whereSql([...kept, ...shown])}\norder by ${[...order, this.dialect.rowId('b')].join(', ')}\nlimit ${limit}`;
    return this.written(select, listed);
  }

  private selected(columns: readonly NamedValue[]): string {
    return `select ${columns.map((c) => `${c.sql} as ${quoted(c.name)}`).join(', ') || '1 as one'}`;
  }

  /** A column of the base, or of a table that it looks up. Throws QueryError for any other. */
  private looked(from: From, base: string, path: string): NamedValue {
    const own = this.checker.names.column(base, path);
    const { table, column } = own ? { table: base, column: own.name } : resolvePath(this, path);
    const home = this.tableOf(table);
    const way = sameName(table, base) ? [] : this.checker.reach.lookup(base, table);
    if (!way)
      throw new QueryError(`a row of ${base} looks up no row of ${table}: leave ${path} out of the columns`);
    const declared = this.checker.names.column(home, column)!;
    return {
      name: `${home.name}.${declared.name}`,
      sql: from.column(from.follow('b', way), home, declared.name),
      type: parseType(declared.type) ?? TEXT,
    };
  }

  private condition(from: From, where: string): string {
    const checked = this.checker.condition(where);
    if (!checked.typed)
      throw new QueryError(
        `the condition of the listing, ${where}: ${checked.faults.map((f) => f.message).join('; ')}`,
      );
    return from.formula(checked.typed);
  }

  // ---------- the cell ----------

  /** The context of the cell, and a relation of its one tuple. */
  private addressed(): { context: SqlContext; cells: string } {
    const { question, cell } = this;
    const { byCount, acrossCount } = question;
    const given = cell.by ?? cell.members ?? [];
    const by = given.slice(0, byCount);
    const across = cell.across ?? given.slice(byCount);
    if (across.length > acrossCount)
      throw new QueryError(
        `the cell names ${given.length + (cell.across?.length ?? 0)} members, the query has ${byCount + acrossCount} items`,
      );
    const isWhole = by.length === byCount;
    const parts = this.parts(question);
    const isRest = isWhole && by.some(isOthers);
    const part = isRest ? parts[1] : parts[0];
    if (!part) throw new QueryError(`the answer has no row ${JSON.stringify(by)}`);
    const named: [number, MemberOfCell][] = [
      ...by.map((member, p): [number, MemberOfCell] => [p, member]),
      ...across.map((member, p): [number, MemberOfCell] => [byCount + p, member]),
    ];
    const all = part.context.axes;
    const count = all.filter((axis) => !axis.meets).length;
    const met = all.length > count ? named.map(([p]) => count + p) : [];
    const axes = [...named.map(([p]) => p), ...met].map((p) => all[p]!);
    const own = isWhole ? part.context : this.asked(question).context;
    const context: SqlContext = { ...own, axes };
    if (named.length === 0) return { context, cells: this.cte('cells', 'select 1 as one') };
    const joins: string[] = [];
    const conditions = named.map(([p, member]) => this.isMember(all, p, count, member, joins));
    const keys = axes.map((axis) => `c.${axis.id}`).join(', ');
    const cells = this.keptCte(
      'cell',
      `select distinct ${keys} from ${part.cells} c${joins.join('')} where ${conditions.join(' and ')}`,
    );
    return { context, cells };
  }

  private isMember(
    axes: readonly SqlAxis[],
    place: number,
    count: number,
    member: MemberOfCell,
    joins: string[],
  ): string {
    const axis = axes[place]!;
    if (isOthers(member)) return '1 = 1';
    const met = axes[count + place];
    if (member !== null && typeof member === 'object' && !('key' in member))
      return met
        ? `c.${met.id} = ${'unmatched' in member ? UNMATCHED : NO_REFERENCE}`
        : `c.${axis.id} is null`;
    if (member !== null && typeof member === 'object') {
      if (axis.composite || axis.tree || member.key.length !== 1)
        throw new QueryError(
          `a member of ${axis.name} is not named by its key while its rows are passed through: name it by its label`,
        );
      return this.isValue(`c.${axis.id}`, member.key[0] ?? null, this.keyType(axis));
    }
    const shown = this.scans.shownAxis(axis);
    joins.push(shown.join);
    const found = met && member === null ? ` and c.${met.id} = ${FOUND}` : '';
    return `${this.isValue(shown.sql, member, axis.type)}${found}`;
  }

  private isValue(sql: string, json: unknown, type: DataType): string {
    if (json === null) return `${sql} is null`;
    const value = fromJson(json, type);
    return value === undefined || value === null ? this.dialect.false : `${sql} = ${this.value(value, type)}`;
  }

  // ---------- the aggregates ----------

  /** The aggregates of a formula with their rows, in the contexts in which `values` works them out. */
  private walk(node: Typed, context: SqlContext, cells: string, source: string): Behind[] {
    switch (node.kind) {
      case 'aggregate':
        return [this.rowsOfAggregate(node, context, cells, source)];
      case 'measure': {
        const { typed, measure } = this.measureTree(node.name);
        const own = this.checker.measure(node.name)?.source ?? '';
        return this.walk(typed, measureContext(context, measure), cells, own);
      }
      case 'per': {
        const inner: SqlContext = {
          ...context,
          axes: [...context.axes, ...node.columns.map((c) => this.columnAxis(c.table, c.column))],
        };
        return this.walk(node.arg, inner, this.combinations(node.arg, inner, context, cells), source);
      }
      case 'context': {
        const { words } = node;
        const before = entered(context, words, this.checker.reach);
        const kept = this.keysOf(before);
        const own =
          kept.length === this.keysOf(context).length
            ? cells
            : this.cte(
                'cells',
                kept.length === 0
                  ? `select 1 as one where exists (select 1 from ${cells})`
                  : `select distinct ${kept.map((a) => a.id).join(', ')} from ${cells}`,
              );
        const inner = restricted(words, words.over ? this.overContext(words.over, before) : before);
        return this.walk(node.operand, inner, own, source);
      }
      case 'step':
        return this.walk(node.operand, context, cells, source);
      default:
        return operandsOf(node).flatMap((child) => this.walk(child, context, cells, source));
    }
  }

  private rowsOfAggregate(
    node: TypedAggregate & Typed,
    context: SqlContext,
    cells: string,
    source: string,
  ): Behind {
    const apart = filterAsCondition(node, context.via, this.checker.reach);
    const own = apart ? withCondition(context, apart.condition) : context;
    const scan = this.scans.once(this.scans.scan(own, node.base), node.base, own.via);
    const cell = this.fresh('cc');
    const keys = this.keysOf(own).filter((axis) => scan.keys.has(axis.id));
    if (keys.length > 0) {
      const on = keys.map((axis) =>
        this.dialect.same(`${cell}.${axis.id}`, scan.keys.get(axis.id)!, this.keyType(axis)),
      );
      scan.from.join(`join ${cells} ${cell} on ${on.join(' and ')}`);
    }
    // Without a key that reaches it a row belongs to all cells, if there are any.
    const any = keys.length > 0 ? [] : [`exists (select 1 from ${cells})`];
    const filter = !apart && node.filter ? [scan.from.formula(node.filter)] : [];
    return {
      node,
      text: source.slice(node.span.start, node.span.end).replace(/\s+/g, ' '),
      from: scan.from,
      where: [...scan.where, ...any, ...filter],
      cells,
      value: this.values(node, context, cells),
    };
  }
}

const isOthers = (member: MemberOfCell): boolean =>
  member !== null && typeof member === 'object' && 'others' in member;
